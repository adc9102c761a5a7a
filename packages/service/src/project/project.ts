/** The project folder: which assistants and engines there are. Assistants are read again when their files change. */
import { existsSync, readdirSync } from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { watch, type FSWatcher } from 'chokidar';
import {
  AnswerBook, ENGINE_ROLES, Fault, forbidden, spokenLanguage, languageOf, speaks, USUAL_MANNERS,
  type EngineRole, type Manners, type Plan,
} from '@verbalon/core'; // prettier-ignore
import type { HearingProfile } from '@verbalon/engines';
import { AnswersFile, AssistantFile, ProjectFile, type EngineCard } from '@verbalon/protocol';
import { checkStages, choicesOf, factsOf, nameOf, readCard } from '../engines/cards.js';
import { ProblemError } from '../problems.js';
import { hearingProfile, namesOf } from './hearing-profile.js';
import { parseYaml, readText, readYaml } from './read-yaml.js';

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
  readonly engines = new Map<string, EngineCard>();
  private readonly books = new Map<string, AnswerBook>();
  private readonly assistants = new Map<string, Assistant>();
  private readonly broken = new Map<string, ProblemError>();
  private watcher: FSWatcher | null = null;
  private events: ProjectEvents | null = null;

  /** @throws ProblemError `project-missing` or `project-broken` */
  constructor(readonly folder: string) {
    const file = join(folder, 'project.yaml');
    if (!existsSync(file))
      throw new ProblemError('project-missing', `${resolve(folder)} has no project.yaml`);
    this.file = readYaml<ProjectFile>(file, ProjectFile, 'project-broken');
    for (const path of this.yamlFiles('engines')) {
      this.engines.set(basename(path, '.yaml'), readCard(path));
    }
    for (const path of this.yamlFiles('answers')) this.readAnswers(path);
    this.checkAnswers();
    for (const path of this.yamlFiles('assistants')) this.readAssistant(path);
  }

  /** @throws ProblemError `answers-broken` */
  private readAnswers(path: string): void {
    const name = basename(path, '.yaml');
    const make = (file: AnswersFile) => new AnswerBook(file);
    const book = parseYaml(readText(path, 'answers-broken'), path, AnswersFile, 'answers-broken', make);
    for (const [engine, file] of this.engines) {
      if (file.wire !== 'answers' || file.answers !== name) continue;
      if (book.passes && file.passTo === undefined)
        throw new ProblemError(
          'answers-broken',
          `${path}: it passes on to a model, and engines/${engine}.yaml names none in "passTo"`,
        );
    }
    this.books.set(name, book);
  }

  /** @throws ProblemError `project-broken` for an engine of authored answers without its file, or without the engine it passes to */
  private checkAnswers(): void {
    for (const [name, file] of this.engines) {
      if (file.wire !== 'answers') continue;
      const at = join(this.folder, 'engines', `${name}.yaml`);
      if (!this.books.has(file.answers))
        throw new ProblemError('project-broken', `${at}: there is no answers/${file.answers}.yaml`);
      const other = file.passTo === undefined ? null : this.engines.get(file.passTo);
      if (other !== null && (other?.role !== 'llm' || other.wire === 'answers'))
        throw new ProblemError(
          'project-broken',
          `${at}: "passTo" must name a model, and "${file.passTo}" is none`,
        );
    }
  }

  /** The answers file of a name, as it was last good. */
  answers(name: string): AnswerBook {
    return this.books.get(name)!;
  }

  /** The file of an assistant as it is on disk. @throws ProblemError `assistant-unknown` */
  text(name: string): string {
    const path = this.fileOf(name);
    if (!existsSync(path)) throw this.unknown(name);
    return readText(path, 'assistant-broken');
  }

  fileOf(name: string): string {
    return join(this.folder, 'assistants', `${name}.yaml`);
  }

  /** What is wrong with this text as the file of the assistant, or null. */
  problemIn(name: string, yaml: string): ProblemError | null {
    try {
      this.parse(name, yaml);
      return null;
    } catch (error) {
      if (error instanceof ProblemError) return error;
      throw error;
    }
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
      const assistant = this.parse(name, readText(path, 'assistant-broken'));
      this.assistants.set(name, assistant);
      this.broken.delete(name);
      return assistant;
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      this.broken.set(name, error);
      return error;
    }
  }

  /** @throws ProblemError `assistant-broken` or `engine-unknown` */
  private parse(name: string, yaml: string): Assistant {
    const path = join('assistants', `${name}.yaml`);
    return parseYaml(yaml, path, AssistantFile, 'assistant-broken', (file: AssistantFile) => {
      for (const role of ENGINE_ROLES) this.checkLineup(file, role);
      checkStages(file);
      const lexicon = file.lexicon ? join(this.folder, 'assistants', file.lexicon) : null;
      return { name, file, plan: planOf(file), profile: hearingProfile(file, lexicon) };
    });
  }

  /** @throws Fault with the path of the engine */
  private checkLineup(file: AssistantFile, role: EngineRole): void {
    const isList = Array.isArray(file.lineup[role]);
    choicesOf(file.lineup, role).forEach(({ engine }, i) => {
      const why = this.whyNot(file, role, engine);
      if (why !== null)
        throw new Fault(
          'file-broken',
          `the lineup's ${role}: ${why}`,
          `/lineup/${role}${isList ? `/${i}` : ''}`,
        );
    });
  }

  /** Why this engine may not serve this assistant in this role, or null. */
  whyNot(file: AssistantFile, role: EngineRole, engine: string): string | null {
    const card = this.engines.get(engine);
    if (card?.role !== role) {
      const known = [...this.engines].filter(([, one]) => one.role === role).map(([one]) => one);
      const what = card ? `is of the role ${card.role}` : 'has no card in engines/';
      return `"${engine}" ${what}; known are ${known.join(', ') || 'none'}`;
    }
    const standin = 'address' in card ? /^standin:([a-z0-9-]+)/.exec(card.address)?.[1] : undefined;
    if (standin !== undefined && !this.file.standins?.some(({ name }) => name === standin))
      return `"${engine}" is the stand-in "${standin}", and project.yaml starts none of that name`;
    const facts = factsOf(engine, this.engines);
    const away = forbidden(facts, file.stay);
    if (away !== null) return away;
    const language = role === 'stt' ? file.language : spokenLanguage(file);
    if (speaks(facts, language)) return null;
    const others = [...this.engines.keys()].filter((one) => this.engines.get(one)!.role === role && speaks(factsOf(one, this.engines), language)); // prettier-ignore
    return `"${engine}" knows ${card.languages.join(', ')}, not ${language}; ${others.length > 0 ? `${others.join(', ')} would do` : 'no card of this role does: add one, or install the language'}`;
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
    throw this.broken.get(name) ?? this.unknown(name);
  }

  private unknown(name: string): ProblemError {
    const known = [...this.assistants.keys()].join(', ') || 'none';
    return new ProblemError('assistant-unknown', `"${name}" is not one of: ${known}`);
  }

  /** Files of assistants that cannot be used as they are now. */
  problems(): ProblemError[] {
    return [...this.broken.values()];
  }

  /** Reads the file of an assistant now, without waiting for the watcher to notice. */
  readAgain(name: string): void {
    const result = this.readAssistant(this.fileOf(name));
    if (result instanceof ProblemError) this.events?.broken(result);
    else this.events?.changed(result);
  }

  watch(events: ProjectEvents): void {
    this.events = events;
    const folders = ['assistants', 'answers'].map((name) => join(this.folder, name)).filter(existsSync);
    if (folders.length === 0) return;
    const read = (path: string) => {
      if (!path.endsWith('.yaml')) return;
      if (basename(dirname(path)) === 'answers') return this.readAnswersAgain(path, events);
      this.readAgain(basename(path, '.yaml'));
    };
    this.watcher = watch(folders, {
      ignoreInitial: true,
      awaitWriteFinish: { stabilityThreshold: 100, pollInterval: 20 },
    });
    this.watcher.on('add', read).on('change', read);
  }

  private readAnswersAgain(path: string, events: ProjectEvents): void {
    try {
      this.readAnswers(path);
    } catch (error) {
      if (error instanceof ProblemError) events.broken(error);
      else throw error;
    }
  }

  async close(): Promise<void> {
    await this.watcher?.close();
  }
}

function planOf(file: AssistantFile): Plan {
  const { persona, greeting, language } = file;
  const names = (role: EngineRole) => choicesOf(file.lineup, role).map(nameOf);
  return {
    purpose: 'talk',
    language,
    persona,
    greeting: greeting ?? '',
    sayings: { ...languageOf(language).sayings, ...file.sayings },
    names: namesOf(file),
    expect: { phrases: file.expect?.phrases ?? [], slots: file.expect?.slots ?? {} },
    written: file.written ?? true,
    manners: mannersOf(file),
    lineup: { stt: names('stt'), llm: names('llm'), tts: names('tts') },
    ...(file.speaks === undefined ? {} : { speaks: file.speaks }),
  };
}

/** The manners that the file gives, and the usual ones for the rest; who greets speaks first. */
function mannersOf({ manners, greeting }: AssistantFile): Manners {
  const given = Object.entries(manners ?? {}).filter(([, value]) => value !== undefined);
  const first = greeting ? ('assistant' as const) : ('caller' as const);
  return { ...USUAL_MANNERS, first, ...Object.fromEntries(given) };
}
