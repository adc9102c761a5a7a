/** What of project.yaml is read when the service starts, and waits for another start when it changes. */
import type { ProjectFile } from '@verbalon/protocol';

/** By its keys, in words. */
const CHANGED_WORDS = {
  standins: 'project.yaml: "standins" was changed',
  phone: 'project.yaml: "phone" was changed',
} as const;

type Key = keyof typeof CHANGED_WORDS;
const KEYS = Object.keys(CHANGED_WORDS) as Key[];

export class ReadAtStart {
  private readonly before: Readonly<Partial<ProjectFile>>;
  private changed: readonly Key[] = [];

  constructor(file: ProjectFile) {
    this.before = { ...file };
  }

  /** Compares the file as it is now. @returns what has changed since it was last compared, in words */
  compare(file: ProjectFile): string[] {
    const known = this.changed;
    this.changed = KEYS.filter((key) => JSON.stringify(file[key]) !== JSON.stringify(this.before[key]));
    return this.changed.filter((key) => !known.includes(key)).map((key) => CHANGED_WORDS[key]);
  }

  /** The file says otherwise than when the service started. */
  hasChanged(key: Key): boolean {
    return this.changed.includes(key);
  }

  /** Everything that waits for another start, in words. */
  get waiting(): string[] {
    return this.changed.map((key) => CHANGED_WORDS[key]);
  }
}
