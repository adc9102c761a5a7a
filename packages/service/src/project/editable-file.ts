/**
 * A file of the project that can be edited over HTTP: one of the many of a kind, a lexicon, or project.yaml
 * itself.
 */
import { existsSync, mkdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { EDITABLE_KINDS, type EditableKind } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import { parseLexicon } from './lexicon.js';
import { newlySent } from './names-secrets.js';
import type { Project } from './project.js';
import { namesIn, readText } from './read-yaml.js';
import { newlyRun } from './runs-code.js';
import { isFileKind, type Changed } from './watching.js';

export const isEditableKind = (kind: string): kind is EditableKind =>
  (EDITABLE_KINDS as readonly string[]).includes(kind);

/** Names of the files of a kind, whether they can be used or not. */
export function editableNames(project: Project, kind: EditableKind): string[] {
  if (kind === 'project') return ['project'];
  return kind === 'lexicons' ? namesIn(join(project.folder, 'assistants'), '.pls') : project.namesOf(kind);
}

export class EditableFile {
  /** From the project's folder on. */
  readonly path: string;
  /** What is told when it was written, so that it is read again. */
  readonly changed: Changed;

  constructor(
    private readonly project: Project,
    readonly kind: EditableKind,
    readonly name: string,
  ) {
    if (isFileKind(kind)) {
      this.path = `${kind}/${name}.yaml`;
      this.changed = { what: kind, name };
    } else if (kind === 'lexicons') {
      this.path = `assistants/${name}.pls`;
      this.changed = { what: 'lexicon', path: this.path };
    } else {
      this.path = 'project.yaml';
      this.changed = { what: 'project' };
    }
  }

  private get place(): string {
    return join(this.project.folder, this.path);
  }

  get isThere(): boolean {
    return existsSync(this.place);
  }

  /** It cannot be used as it is. */
  get isBroken(): boolean {
    if (this.kind === 'lexicons') return this.problemIn(this.read()) !== null;
    return this.project.problems().has(this.kind === 'project' ? 'project' : `${this.kind}/${this.name}`);
  }

  /** As it is on disk. @throws ProblemError `file-unknown` */
  read(): string {
    if (this.isThere) return readText(this.place, 'file-unknown');
    const known = editableNames(this.project, this.kind).join(', ') || 'none';
    throw new ProblemError('file-unknown', `"${this.name}" is not one of: ${known}`);
  }

  /** What is wrong with this text as the text of the file, or null. */
  problemIn(text: string): ProblemError | null {
    try {
      this.parse(text);
      return null;
    } catch (error) {
      if (error instanceof ProblemError) return error;
      throw error;
    }
  }

  private parse(text: string): void {
    if (isFileKind(this.kind)) this.project.parse(this.kind, this.name, text);
    else if (this.kind === 'lexicons') parseLexicon(text, this.path);
    else this.project.parseProject(text);
  }

  /**
   * @throws ProblemError for a text that cannot be used, or names code or a secret that it did not name
   * before
   */
  checkWritable(text: string): void {
    if (this.kind === 'lexicons') return this.parse(text);
    const refuse = (code: 'file-runs-code' | 'file-sends-secret', what: string | null) => {
      if (what !== null) throw new ProblemError(code, `${this.path} did not name ${what} before`);
    };
    refuse('file-runs-code', newlyRun(this.project, this.kind, this.name, text));
    refuse('file-sends-secret', newlySent(this.project, this.kind, this.name, text));
  }

  /** @throws ProblemError `file-used` for a file that others name, `file-fixed` for project.yaml */
  checkMovable(): void {
    if (this.kind === 'project')
      throw new ProblemError('file-fixed', 'project.yaml can be changed, and neither renamed nor removed');
    const users = this.users();
    if (users.length > 0) throw new ProblemError('file-used', `${this.path} is named by ${users.join(', ')}`);
  }

  private users(): string[] {
    if (isFileKind(this.kind)) return this.project.usersOf(this.kind, this.name);
    const ours = this.project.list().filter(({ file }) => file.lexicon === basename(this.path));
    return ours.map(({ name }) => `assistants/${name}.yaml`);
  }

  /** Whoever reads in the meantime sees the old one or the new one, never half. */
  write(text: string): void {
    const { place } = this;
    const draft = `${place}.new`;
    mkdirSync(dirname(place), { recursive: true });
    try {
      writeFileSync(draft, text);
      renameSync(draft, place);
    } finally {
      rmSync(draft, { force: true });
    }
  }

  /** @param to from the project's folder on */
  move(to: string): void {
    const target = join(this.project.folder, to);
    mkdirSync(dirname(target), { recursive: true });
    renameSync(this.place, target);
  }
}
