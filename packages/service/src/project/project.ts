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
import { checkStages, choicesOf, factsOf, isModule, nameOf, readCard } from '../engines/cards.js';
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
  /** What is to be there before an assistant of this file is used: it throws where it cannot be had. */
  admit: (assistant: Assistant) => Promise<void>;
  changed: (assistant: Assistant) => void;
  /** The last good one, if there was one, stays in use. */
  broken: (error: ProblemError) => void;
}

export class Project {
  readonly file: ProjectFile;
  readonly engines = new Map<string, EngineCard>();
  private readonly books = new Map<string, AnswerBook>();
  private readonly assistants = new Map<string, Assistant>();
  /** Files that cannot be used as they are now, by kind and name. */
  private readonly broken = new Map<string, ProblemError>();
  private watcher: FSWatcher | null = null;
  private events: ProjectEvents | null = null;
  /** Files are read one after the other. */
  private reading: Promise<unknown> = Promise.resolve();

  /** A file that is wrong hurts nothing but itself, unless it is project.yaml. @throws ProblemError `project-missing` or `project-broken` */
  constructor(readonly folder: string) {
    const file = join(folder, 'project.yaml');
    if (!existsSync(file))
      throw new ProblemError('project-missing', `${resolve(folder)} has no project.yaml`);
    this.file = readYaml<ProjectFile>(file, ProjectFile, 'project-broken');
    for (const path of this.yamlFiles('engines'))
      this.keep(keyOf('engines', path), () => this.engines.set(basename(path, '.yaml'), readCard(path)));
    this.checkPassing();
    for (const path of this.yamlFiles('answers'))
      this.keep(keyOf('answers', path), () => this.readAnswers(path));
    for (const path of this.yamlFiles('assistants'))
      this.keep(keyOf('assistants', path), () => {
        const assistant = this.readAssistant(basename(path, '.yaml'));
        this.assistants.set(assistant.name, assistant);
      });
  }

  /** Takes what a file says; or keeps in mind what is wrong with it, and gives it back. */
  private keep(key: string, read: () => void): ProblemError | null {
    try {
      read();
      this.broken.delete(key);
      return null;
    } catch (error) {
      const problem = error instanceof ProblemError ? error : new ProblemError('internal', `${key}.yaml: ${String(error)}`); // prettier-ignore
      this.broken.set(key, problem);
      return problem;
    }
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

  /** A card of authored answers whose "passTo" names no model cannot be used. */
  private checkPassing(): void {
    for (const [name, card] of [...this.engines]) {
      if (card.wire !== 'answers' || card.passTo === undefined) continue;
      const other = this.engines.get(card.passTo);
      if (other?.role === 'llm' && other.wire !== 'answers') continue;
      const what = `"passTo" must name a model, and "${card.passTo}" is none`;
      const problem = new ProblemError('project-broken', `${join(this.folder, 'engines', `${name}.yaml`)}: ${what}`); // prettier-ignore
      this.engines.delete(name);
      this.broken.set(`engines/${name}`, problem);
    }
  }

  /** The answers file of a name, as it was last good. @throws ProblemError `answers-broken` where it never was */
  answers(name: string): AnswerBook {
    const book = this.books.get(name);
    if (book) return book;
    throw (
      this.broken.get(`answers/${name}`) ??
      new ProblemError('answers-broken', `there is no answers/${name}.yaml`)
    );
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

  private readAssistant(name: string): Assistant {
    return this.parse(name, readText(this.fileOf(name), 'assistant-broken'));
  }

  /** @throws ProblemError `assistant-broken` or `engine-unknown` */
  private parse(name: string, yaml: string): Assistant {
    const path = join('assistants', `${name}.yaml`);
    return parseYaml(yaml, path, AssistantFile, 'assistant-broken', (file: AssistantFile) => {
      for (const role of ENGINE_ROLES) this.checkLineup(file, role);
      checkStages(file, this.folder);
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
      const broken = this.broken.get(`engines/${engine}`);
      if (!card && broken) return `the card of "${engine}" cannot be used: ${broken.detail}`;
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
    throw this.broken.get(`assistants/${name}`) ?? this.unknown(name);
  }

  private unknown(name: string): ProblemError {
    const known = [...this.assistants.keys()].join(', ') || 'none';
    return new ProblemError('assistant-unknown', `"${name}" is not one of: ${known}`);
  }

  /** Files that cannot be used as they are now. */
  problems(): ProblemError[] {
    return [...this.broken.values()];
  }

  /** Reads the file of an assistant now, without waiting for the watcher to notice; in use when this resolves. */
  readAgain(name: string): Promise<void> {
    const next = this.reading.then(() => this.readAssistantAgain(name));
    this.reading = next.catch(() => undefined);
    return next;
  }

  private async readAssistantAgain(name: string): Promise<void> {
    let read: Assistant | undefined;
    const key = `assistants/${name}`;
    let problem = this.keep(key, () => (read = this.readAssistant(name)));
    const { events } = this;
    const assistant = read;
    if (assistant) {
      try {
        await events?.admit(assistant);
        this.assistants.set(name, assistant);
        return events?.changed(assistant);
      } catch (error) {
        const why = error instanceof Error ? error.message : String(error);
        problem = new ProblemError('assistant-broken', `${key}.yaml: its engines cannot be opened: ${why}`);
        this.broken.set(key, problem);
      }
    }
    if (problem) events?.broken(problem);
  }

  watch(events: ProjectEvents): void {
    this.events = events;
    const folders = ['assistants', 'answers'].map((name) => join(this.folder, name)).filter(existsSync);
    if (folders.length === 0) return;
    const read = (path: string) => {
      if (!path.endsWith('.yaml')) return;
      if (basename(dirname(path)) !== 'answers') return void this.readAgain(basename(path, '.yaml'));
      const problem = this.keep(keyOf('answers', path), () => this.readAnswers(path));
      if (problem) events.broken(problem);
    };
    this.watcher = watch(folders, {
      ignoreInitial: true,
      awaitWriteFinish: { stabilityThreshold: 100, pollInterval: 20 },
    });
    this.watcher.on('add', read).on('change', read);
    // A folder that goes away, or too many files to watch: what was read stays in use.
    this.watcher.on('error', () => undefined);
  }

  /**
   * What a file that comes over HTTP may not begin to name: whoever can send it must not be able to run code.
   * @returns what of it is new, in words; null when nothing is
   */
  newlyRuns(name: string, yaml: string): string | null {
    const before = this.assistants.get(name)?.file;
    const after = this.parse(name, yaml).file;
    const modules = (file: AssistantFile | undefined) =>
      Object.values(file?.stages ?? {}).flatMap((stage) => (stage && isModule(stage.at) ? [stage.at] : []));
    const known = new Set(modules(before));
    const fresh = modules(after).find((at) => !known.has(at));
    if (fresh !== undefined) return `the module ${fresh}`;
    const programs = (file: AssistantFile | undefined) =>
      ENGINE_ROLES.flatMap((role) => (file ? choicesOf(file.lineup, role) : []))
        .filter(
          ({ engine, settings }) => Object.keys(settings).length > 0 && runsProgram(this.engines.get(engine)),
        )
        .map(nameOf);
    const knownPrograms = new Set(programs(before));
    const program = programs(after).find((one) => !knownPrograms.has(one));
    return program === undefined ? null : `the program of the engine ${program}`;
  }

  async close(): Promise<void> {
    await this.watcher?.close();
  }
}

const keyOf = (folder: string, path: string) => `${folder}/${basename(path, '.yaml')}`;

/** Is this an engine whose settings may go into the command line of a program? */
function runsProgram(card: EngineCard | undefined): boolean {
  return card !== undefined && (card.wire === 'process' || ('server' in card && card.server !== undefined));
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
