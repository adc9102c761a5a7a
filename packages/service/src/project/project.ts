/**
 * The project folder: which assistants and engines there are. Its files are read again when they change; what
 * was good stays in use.
 */
import { existsSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import type { FSWatcher } from 'chokidar';
import type { AnswerBook, EngineRole } from '@verbalon/core';
import { AssistantFile, ProjectFile, type EngineCard, type ErrandFile } from '@verbalon/protocol';
import { parseCard } from './cards.js';
import { ProblemError, type ProblemCode } from '../problems/problems.js';
import { parseAnswers } from './answers-file.js';
import { assistantOf } from './assistant.js';
import { ErrandShelf } from './errand-shelf.js';
import { assistantFaults, enginesOf, expectsAnswers, modulesOf, passings, whyNot } from './lineups.js';
import type { Assistant, ProjectEvents } from './events.js';
import { parseYaml, readText, namesIn } from './read-yaml.js';
import { ReadAtStart } from './at-start.js';
import { zoneFaults } from './zone.js';
import { watchFolder, type Changed, type FileKind } from './watching.js';

type Parsed = EngineCard | AnswerBook | Assistant | ErrandFile;

const CODES: Record<FileKind, ProblemCode> = {
  assistants: 'assistant-broken',
  engines: 'engine-broken',
  answers: 'answers-broken',
  errands: 'errand-broken',
};

export class Project {
  file: ProjectFile;
  /** The cards that can be used. */
  readonly engines = new Map<string, EngineCard>();
  /** What of it waits for another start when it changes. */
  readonly atStart: ReadAtStart;
  private readonly cards = new Map<string, EngineCard>();
  private readonly books = new Map<string, AnswerBook>();
  readonly errands: ErrandShelf;
  private readonly assistants = new Map<string, Assistant>();
  /** Engines that the file of an assistant names, though it may not be one that can be used. */
  private readonly named = new Map<string, string[]>();
  /** Files that cannot be used as they are now, by kind and name. */
  private readonly broken = new Map<string, ProblemError>();
  private watcher: FSWatcher | null = null;
  private readonly readSinceMs = Date.now();
  private events: ProjectEvents | null = null;
  /** Files are read one after the other. */
  private reading: Promise<unknown> = Promise.resolve();

  /**
   * A file that is wrong hurts nothing but itself, unless it is project.yaml. @throws ProblemError
   * `project-missing` or `project-broken`
   */
  constructor(readonly folder: string) {
    if (!existsSync(join(folder, 'project.yaml')))
      throw new ProblemError('project-missing', `${resolve(folder)} has no project.yaml`);
    this.file = this.readProject();
    this.atStart = new ReadAtStart(this.file);
    this.errands = new ErrandShelf(folder);
    this.keep('contacts', () => this.errands.readContacts());
    for (const kind of ['engines', 'answers', 'errands', 'assistants'] as const) {
      for (const name of this.namesOf(kind)) this.keep(`${kind}/${name}`, () => this.read(kind, name));
      if (kind === 'engines') this.checkPassing();
    }
  }

  private readProject(): ProjectFile {
    const path = join(this.folder, 'project.yaml');
    return this.parseProject(readText(path, 'project-broken'), path);
  }

  /** A text as that of project.yaml. @throws ProblemError with file and line */
  parseProject(yaml: string, path = 'project.yaml'): ProjectFile {
    const own = (file: ProjectFile) => file;
    return parseYaml(yaml, path, ProjectFile, 'project-broken', own, zoneFaults);
  }

  /** Takes what a file says; or keeps in mind what is wrong with it, and gives it back. */
  private keep(key: string, read: () => void): ProblemError | null {
    try {
      read();
      this.broken.delete(key);
      return null;
    } catch (error) {
      const problem =
        error instanceof ProblemError ? error : new ProblemError('internal', `${key}.yaml: ${String(error)}`);
      this.broken.set(key, problem);
      return problem;
    }
  }

  private read(kind: FileKind, name: string): void {
    const yaml = readText(this.fileOf(kind, name), CODES[kind]);
    if (kind === 'engines') this.cards.set(name, this.parse(kind, name, yaml));
    else if (kind === 'answers') this.books.set(name, this.parse(kind, name, yaml));
    else if (kind === 'errands') this.errands.files.set(name, this.parse(kind, name, yaml) as ErrandFile);
    else this.assistants.set(name, this.parse(kind, name, yaml));
  }

  /** @throws ProblemError with file and line */
  parse(kind: 'engines', name: string, yaml: string): EngineCard;
  parse(kind: 'answers', name: string, yaml: string): AnswerBook;
  parse(kind: 'assistants', name: string, yaml: string): Assistant;
  parse(kind: FileKind, name: string, yaml: string): Parsed;
  parse(kind: FileKind, name: string, yaml: string): Parsed {
    const path = `${kind}/${name}.yaml`;
    if (existsSync(this.fileOf(kind, name).replace(/\.yaml$/, '.yml')))
      throw new ProblemError(CODES[kind], `${path}: there is also ${name}.yml; two files have one name`);
    if (kind === 'engines') return parseCard(yaml, path);
    if (kind === 'assistants') return this.parseAssistant(name, yaml, path);
    if (kind === 'errands') return this.errands.parse(name, yaml, path);
    return parseAnswers(name, yaml, path, this.cards);
  }

  /** A card of authored answers whose "passTo" names no model cannot be used. */
  private checkPassing(): void {
    this.engines.clear();
    for (const [name, card] of this.cards) this.engines.set(name, card);
    for (const { name, what, isWrong } of passings(this.cards)) {
      const key = `engines/${name}`;
      if (!isWrong && this.broken.get(key)?.detail === what) this.broken.delete(key);
      if (!isWrong) continue;
      this.engines.delete(name);
      this.broken.set(key, new ProblemError('engine-broken', what));
    }
  }

  private parseAssistant(name: string, yaml: string, path: string): Assistant {
    const { folder, engines, books, errands } = this;
    return parseYaml(
      yaml,
      path,
      AssistantFile,
      CODES.assistants,
      (one: AssistantFile) => assistantOf(name, one, { folder, engines, books, errands }),
      (one: AssistantFile) => {
        this.named.set(name, enginesOf(one, this.engines));
        return assistantFaults(one, this.engines, (role, engine) => this.whyNot(one, role, engine));
      },
    );
  }

  /**
   * The answers file of a name, as it was last good. @throws ProblemError `answers-broken` where it never was
   */
  answers(name: string): AnswerBook {
    const book = this.books.get(name);
    if (book) return book;
    throw (
      this.broken.get(`answers/${name}`) ??
      new ProblemError('answers-broken', `there is no answers/${name}.yaml`)
    );
  }

  /** Assistants that name this errand. */
  assistantsDoing(errand: string): string[] {
    return this.list()
      .filter(({ file }) => file.errands?.includes(errand))
      .map(({ name }) => name);
  }

  bookOf(name: string): AnswerBook | undefined {
    return this.books.get(name);
  }

  /** Files that name this one. */
  usersOf(kind: FileKind, name: string): string[] {
    if (kind === 'assistants') return this.defaultAssistant === name ? ['project.yaml'] : [];
    if (kind === 'errands') return this.assistantsDoing(name).map((one) => `assistants/${one}.yaml`);
    const cards = [...this.cards].filter(
      ([, card]) => card.wire === 'answers' && (kind === 'answers' ? card.answers : card.passTo) === name,
    );
    const users = cards.map(([one]) => `engines/${one}.yaml`);
    if (kind === 'answers') return users;
    const assistants = [...this.named].filter(([, engines]) => engines.includes(name));
    return [...users, ...assistants.map(([one]) => `assistants/${one}.yaml`)];
  }

  /** The file as it is on disk. @throws ProblemError `file-unknown` */
  text(kind: FileKind, name: string): string {
    const path = this.fileOf(kind, name);
    if (!existsSync(path)) throw this.unknown(kind, name);
    return readText(path, CODES[kind]);
  }

  fileOf(kind: FileKind, name: string): string {
    return join(this.folder, kind, `${name}.yaml`);
  }

  /** Names of the files of a kind, used or not. */
  namesOf(kind: FileKind): string[] {
    return namesIn(join(this.folder, kind));
  }

  /** Why this engine may not serve this assistant in this role, or null. */
  whyNot(file: AssistantFile, role: EngineRole, engine: string): string | null {
    return whyNot(file, role, engine, this.engines, this.broken, this.file.standins ?? []);
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
    throw this.broken.get(`assistants/${name}`) ?? this.unknown('assistants', name);
  }

  private unknown(kind: FileKind, name: string): ProblemError {
    const known =
      (kind === 'assistants' ? [...this.assistants.keys()] : this.namesOf(kind)).join(', ') || 'none';
    const code = kind === 'assistants' ? 'assistant-unknown' : 'file-unknown';
    return new ProblemError(code, `"${name}" is not one of: ${known}`);
  }

  /** Files that cannot be used as they are now, by `KIND/NAME`. */
  problems(): ReadonlyMap<string, ProblemError> {
    return this.broken;
  }

  /** Assistants whose file names this engine: those that can be talked to, or those that cannot. */
  assistantsWith(engine: string, usable: boolean): string[] {
    return [...this.named]
      .filter(([name, engines]) => this.assistants.has(name) === usable && engines.includes(engine))
      .map(([name]) => name);
  }

  /** Reads a file now, without waiting for the watcher to notice; in use when this resolves. */
  readAgain(changed: Changed): Promise<void> {
    const next = this.reading.then(() => this.again(changed));
    this.reading = next.catch(() => undefined);
    return next;
  }

  private async again(changed: Changed): Promise<void> {
    const { events } = this;
    switch (changed.what) {
      case 'project':
        return this.projectAgain();
      case 'secrets':
        return events?.secrets();
      case 'module':
        return modulesOf(this.list().map(({ file }) => file)).includes(changed.path)
          ? events?.module(changed.path)
          : undefined;
      case 'lexicon': {
        const users = this.list().filter(({ file }) => file.lexicon === basename(changed.path));
        return this.assistantsAgain(users.map(({ name }) => name));
      }
      case 'assistants':
        return this.assistantAgain(changed.name);
      case 'engines':
        return this.engineAgain(changed.name);
      case 'answers': {
        const problem = this.fileAgain('answers', changed.name);
        if (problem) events?.broken(problem);
        const users = this.list().filter(({ file }) => expectsAnswers(file));
        return this.assistantsAgain(users.map(({ name }) => name));
      }
      case 'slots': {
        const problem = this.keep('contacts', () => this.errands.readContacts());
        if (problem) events?.broken(problem);
        for (const name of this.namesOf('errands')) this.fileAgain('errands', name);
        return this.assistantsAgain(this.namesOf('assistants'));
      }
      case 'errands': {
        const problem = this.fileAgain('errands', changed.name);
        if (problem) events?.broken(problem);
        if (!existsSync(this.fileOf('errands', changed.name))) this.errands.files.delete(changed.name);
        // Whoever names it; and whoever cannot be used, perhaps for want of it.
        const broken = this.namesOf('assistants').filter((name) => this.broken.has(`assistants/${name}`));
        return this.assistantsAgain([...new Set([...broken, ...this.assistantsDoing(changed.name)])]);
      }
    }
  }

  private async assistantsAgain(names: readonly string[]): Promise<void> {
    for (const name of names) await this.assistantAgain(name);
  }

  /** A file that is gone is forgotten, but for what was made of it: whoever uses that goes on with it. */
  private fileAgain(kind: FileKind, name: string): ProblemError | null {
    const key = `${kind}/${name}`;
    if (existsSync(this.fileOf(kind, name))) return this.keep(key, () => this.read(kind, name));
    this.broken.delete(key);
    const users = kind === 'answers' ? this.usersOf(kind, name) : [];
    if (users.length === 0) return null;
    const problem = new ProblemError(CODES[kind], `${key}.yaml is gone, and ${users.join(', ')} names it`);
    this.broken.set(key, problem);
    return problem;
  }

  private async projectAgain(): Promise<void> {
    const listed = JSON.stringify(this.file.secrets);
    const problem = this.keep('project', () => (this.file = this.readProject()));
    if (problem) return this.events?.broken(problem);
    if (JSON.stringify(this.file.secrets) !== listed) await this.events?.secrets();
    for (const what of this.atStart.compare(this.file)) this.events?.restart(what);
  }

  private async engineAgain(name: string): Promise<void> {
    const problem = this.fileAgain('engines', name);
    if (problem) this.events?.broken(problem);
    if (!existsSync(this.fileOf('engines', name))) this.cards.delete(name);
    this.checkPassing();
    if (!problem) await this.events?.engine(name);
    // Answers that pass on depend on the card that names them; whoever names the engine may be usable now, or
    // not any more.
    const card = this.cards.get(name);
    if (card?.wire === 'answers') this.fileAgain('answers', card.answers);
    for (const [assistant, engines] of [...this.named])
      if (engines.includes(name) || this.broken.has(`assistants/${assistant}`))
        await this.assistantAgain(assistant);
  }

  private async assistantAgain(name: string): Promise<void> {
    const key = `assistants/${name}`;
    if (!existsSync(this.fileOf('assistants', name))) {
      this.assistants.delete(name);
      this.named.delete(name);
      this.broken.delete(key);
      return;
    }
    let read: Assistant | undefined;
    let problem = this.keep(
      key,
      () => (read = this.parse('assistants', name, this.text('assistants', name))),
    );
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
    this.watcher = watchFolder(this.folder, this.readSinceMs, (changed) => void this.readAgain(changed));
  }

  async close(): Promise<void> {
    await this.watcher?.close();
  }
}
