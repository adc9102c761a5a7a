/** The project folder: which assistants and engines there are. Assistants are read again when their files change. */
import { existsSync, readdirSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import { watch, type FSWatcher } from 'chokidar';
import type { Plan } from '@verbalon/core';
import type { HearingProfile } from '@verbalon/engines';
import { AssistantFile, EngineFile, ProjectFile } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';
import { hearingProfile } from './hearing-profile.js';
import { readYaml } from './read-yaml.js';

const CANNOT_THINK = 'I am sorry, I cannot think just now. Please ask me again in a moment.';

export interface Assistant {
  name: string;
  file: AssistantFile;
  plan: Plan;
  profile: HearingProfile | null;
}

export interface ProjectEvents {
  changed: (assistant: Assistant) => void;
  /** The last good one, if there was one, stays in use. */
  broken: (error: ProblemError) => void;
}

export class Project {
  readonly file: ProjectFile;
  readonly engines = new Map<string, EngineFile>();
  private readonly assistants = new Map<string, Assistant>();
  private readonly broken = new Map<string, ProblemError>();
  private watcher: FSWatcher | null = null;

  /** @throws ProblemError `project-missing` or `project-broken` */
  constructor(readonly folder: string) {
    const file = join(folder, 'project.yaml');
    if (!existsSync(file))
      throw new ProblemError('project-missing', `${resolve(folder)} has no project.yaml`);
    this.file = readYaml<ProjectFile>(file, ProjectFile, 'project-broken');
    for (const path of this.yamlFiles('engines')) {
      this.engines.set(basename(path, '.yaml'), readYaml<EngineFile>(path, EngineFile, 'project-broken'));
    }
    for (const path of this.yamlFiles('assistants')) this.readAssistant(path);
  }

  private yamlFiles(folder: string): string[] {
    const path = join(this.folder, folder);
    if (!existsSync(path)) return [];
    return readdirSync(path)
      .filter((name) => name.endsWith('.yaml'))
      .sort()
      .map((name) => join(path, name));
  }

  private readAssistant(path: string): Assistant | ProblemError {
    const name = basename(path, '.yaml');
    try {
      const file = readYaml<AssistantFile>(path, AssistantFile, 'assistant-broken');
      this.checkLineup(path, file);
      const lexicon = file.lexicon ? join(this.folder, 'assistants', file.lexicon) : null;
      const assistant = { name, file, plan: planOf(file), profile: hearingProfile(file, lexicon) };
      this.assistants.set(name, assistant);
      this.broken.delete(name);
      return assistant;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      this.broken.set(name, error);
      return error;
    }
  }

  private checkLineup(path: string, { lineup }: AssistantFile): void {
    for (const [role, engine] of Object.entries(lineup)) {
      const found = this.engines.get(engine);
      if (found?.role === role) continue;
      const what = found ? `is of the role ${found.role}` : 'has no file in engines/';
      throw new ProblemError('engine-unknown', `${path}: the lineup's ${role} "${engine}" ${what}`);
    }
  }

  get defaultAssistant(): string {
    return this.file.assistant;
  }

  list(): Assistant[] {
    return [...this.assistants.values()];
  }

  /** @throws ProblemError `assistant-unknown`, or what is wrong with its file when it was never good */
  assistant(name: string): Assistant {
    const assistant = this.assistants.get(name);
    if (assistant) return assistant;
    const known = [...this.assistants.keys()].join(', ') || 'none';
    throw this.broken.get(name) ?? new ProblemError('assistant-unknown', `"${name}" is not one of: ${known}`);
  }

  /** Files of assistants that cannot be used as they are now. */
  problems(): ProblemError[] {
    return [...this.broken.values()];
  }

  watch(events: ProjectEvents): void {
    const folder = join(this.folder, 'assistants');
    if (!existsSync(folder)) return;
    const read = (path: string) => {
      if (!path.endsWith('.yaml')) return;
      const result = this.readAssistant(path);
      if (result instanceof ProblemError) events.broken(result);
      else events.changed(result);
    };
    this.watcher = watch(folder, {
      ignoreInitial: true,
      awaitWriteFinish: { stabilityThreshold: 100, pollInterval: 20 },
    });
    this.watcher.on('add', read).on('change', read);
  }

  async close(): Promise<void> {
    await this.watcher?.close();
  }
}

function planOf({ persona, greeting, cannotThink, manners }: AssistantFile): Plan {
  return {
    purpose: 'talk',
    persona,
    greeting: greeting ?? '',
    cannotThink: cannotThink ?? CANNOT_THINK,
    manners: {
      leewayMs: manners?.leewayMs ?? 600,
      first: manners?.first ?? (greeting ? 'assistant' : 'caller'),
      interrupt: manners?.interrupt ?? 'voice',
      restAfterMs: manners?.restAfterMs ?? 30_000,
      answers: manners?.answers ?? 'short',
    },
  };
}
