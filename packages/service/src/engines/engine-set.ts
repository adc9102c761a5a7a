/** The engines of a project: opened at the start, warmed, watched, looked up by name. */
import type { Logger } from 'pino';
import { ENGINE_ROLES, type EngineRole, type Prices } from '@verbalon/core';
import {
  freePort, guarded, LocalServer, openEngine,
  type AnyEngine, type Guard, type LlmEngine, type SttEngine, type Surroundings, type TtsEngine,
} from '@verbalon/engines'; // prettier-ignore
import type { EngineCard, EngineSummary, LineupEntry, VoiceSummary } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';
import type { Assistant, Project } from '../project/project.js';
import { choicesOf, isWired, nameOf, type Choice } from './cards.js';

/** Between two looks at how the engines are, in ms. */
const LOOK_EVERY_MS = 500;

export type Guarded<E extends AnyEngine = AnyEngine> = E & { guard: Guard };

/** Engines of a talk: one of each role, or others of the project by name. */
export interface Engines {
  of<R extends EngineRole>(role: R, name: string): Extract<AnyEngine, { role: R }>;
  prices(name: string): Prices | null;
  /** The voice that a lineup gives this engine, or null. */
  voice(name: string): string | null;
}

export interface Lineup {
  stt: SttEngine;
  llm: LlmEngine;
  tts: TtsEngine;
}

type Listener = (engine: string, resting: string | null) => void;

interface Opened {
  engine: Guarded;
  card: EngineCard | null;
  /** That a lineup gives. */
  settings: Choice['settings'];
  server: LocalServer | null;
}

export class EngineSet implements Engines {
  private readonly opened = new Map<string, Opened>();
  private readonly listeners = new Set<Listener>();
  private readonly known = new Map<string, string | null>();
  private readonly timer: NodeJS.Timeout;

  constructor(
    engines: ReadonlyMap<string, AnyEngine>,
    private readonly log: Logger,
  ) {
    for (const [name, engine] of engines)
      this.opened.set(name, {
        engine: 'guard' in engine ? (engine as Guarded) : guarded(engine),
        card: null,
        settings: {},
        server: null,
      });
    this.timer = setInterval(() => this.look(), LOOK_EVERY_MS);
    this.timer.unref();
  }

  /** Opens all engines of the project, with the settings that lineups give. */
  static async open(
    project: Project,
    around: Omit<Surroundings, 'answers' | 'model' | 'folder'>,
    log: Logger,
  ): Promise<EngineSet> {
    const set = new EngineSet(new Map(), log);
    const surroundings: Surroundings = {
      ...around,
      folder: project.folder,
      answers: (name) => project.answers(name),
      model: (name) => set.of('llm', name),
    };
    set.openOne = (choice) => set.add(choice, project, surroundings);
    for (const engine of project.engines.keys()) await set.openOne({ engine, settings: {} });
    for (const assistant of project.list()) await set.openFor(assistant);
    return set;
  }

  /** How an engine is opened that is not yet; nothing to do with where engines were given. */
  private openOne: (choice: Choice) => Promise<void> = () => Promise.resolve();

  /** Opens what this assistant's lineup names and nobody had named before. */
  async openFor({ file }: Assistant): Promise<void> {
    for (const choice of ENGINE_ROLES.flatMap((role) => choicesOf(file.lineup, role)))
      if (!this.opened.has(nameOf(choice))) await this.openOne(choice);
  }

  private async add(choice: Choice, project: Project, around: Surroundings): Promise<void> {
    const name = nameOf(choice);
    const plain = project.engines.get(choice.engine)!;
    const port = isWired(plain) && plain.wire !== 'process' && plain.server ? await freePort() : null;
    const given = { ...choice.settings, ...(port === null ? {} : { port }) };
    const card = withSettings(plain, given);
    const engine = openEngine(name, card, around);
    const server = port === null ? null : this.serverFor(name, card, around, port, engine);
    this.opened.set(name, { engine, card, settings: choice.settings, server });
  }

  private serverFor(
    name: string,
    card: EngineCard,
    { folder, secrets }: Surroundings,
    port: number,
    engine: Guarded,
  ): LocalServer | null {
    if (card.wire !== 'http' && card.wire !== 'socket') return null;
    const fill = (text: string) => text.replaceAll('{port}', String(port));
    const health = new URL(card.health ?? '/health', fill(card.address).replace(/^ws/, 'http'));
    const { start, readyMs } = card.server!;
    const key = card.secret === undefined ? undefined : secrets[card.secret];
    return new LocalServer({
      name,
      start: start.map(fill),
      folder,
      health,
      readyMs,
      env: key === undefined ? {} : { [card.secret!]: key },
      is: (state) => {
        (engine as unknown as { serverIs(state: unknown): void }).serverIs(state);
        this.log.info({ engine: name, ...state }, 'a local server has changed');
      },
    });
  }

  /** Whenever an engine is to be left alone, or to be used again. @returns what ends the listening */
  listen(listener: Listener): () => void {
    for (const [name, resting] of this.known) if (resting !== null) listener(name, resting);
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Tells what has changed since the last look. */
  look(): void {
    for (const [name, { engine }] of this.opened) {
      const readiness = engine.readiness();
      const resting = engine.guard.resting() ?? (readiness.state === 'down' ? readiness.why : null);
      if (resting === (this.known.get(name) ?? null)) continue;
      this.known.set(name, resting);
      this.log[resting === null ? 'info' : 'warn']({ engine: name, resting }, resting === null ? 'an engine is used again' : 'an engine is left alone'); // prettier-ignore
      for (const listener of this.listeners) listener(name, resting);
    }
  }

  /** Gets the ears of an assistant ready for its expected phrases; names without a pronunciation are said as the voice says them. */
  async prepare(assistant: Assistant): Promise<void> {
    const { plan } = assistant;
    await Promise.all(plan.lineup.stt.map((name) => this.prepareEars(assistant, name)));
  }

  async prepareEars({ name, profile, plan }: Assistant, ears: string): Promise<void> {
    if (!profile) return;
    const names = [...new Set(profile.sentences.flat())].filter(
      (word) => !Object.hasOwn(profile.pronunciations, word),
    );
    let guessed = {};
    for (const voice of plan.lineup.tts)
      guessed = {
        ...(await this.of('tts', voice)
          .pronounce(names)
          .catch(() => ({}))),
        ...guessed,
      };
    const pronunciations = { ...guessed, ...profile.pronunciations };
    const unknown = await this.of('stt', ears).prepare({ ...profile, pronunciations });
    if (unknown.length > 0)
      this.log.warn({ assistant: name, unknown }, 'expected words that cannot be heard: write them out');
  }

  /** Gets an engine, and the server behind it, ready for its first request. @throws EngineFault */
  async warm(name: string): Promise<void> {
    const opened = this.opened.get(name);
    await opened?.server?.ready();
    await opened?.engine.warm();
  }

  /** @throws ProblemError `engine-unknown` */
  get(name: string): Guarded {
    const found = this.opened.get(name)?.engine;
    if (!found)
      throw new ProblemError(
        'engine-unknown',
        `"${name}" is not one of: ${[...this.opened.keys()].join(', ')}`,
      );
    return found;
  }

  of<R extends EngineRole>(role: R, name: string): Extract<AnyEngine, { role: R }> {
    const engine = this.get(name);
    if (engine.role !== role)
      throw new ProblemError('engine-unknown', `"${name}" is of the role ${engine.role}, not ${role}`);
    return engine as unknown as Extract<AnyEngine, { role: R }>;
  }

  prices(name: string): Prices | null {
    return this.opened.get(name)?.card?.prices ?? null;
  }

  voice(name: string): string | null {
    const voice = this.opened.get(name)?.settings.voice;
    return voice === undefined ? null : String(voice);
  }

  /** Why nobody could be served by this assistant just now: for each role without an engine that is ready, what each says. */
  missing({ plan }: Assistant): string[] {
    const why = (name: string): string | null => {
      const engine = this.opened.get(name)?.engine;
      const readiness = engine?.readiness();
      if (!engine || readiness?.state !== 'ready')
        return `${name} is ${readiness?.state === 'down' ? `down: ${readiness.why}` : 'loading'}`;
      const resting = engine.guard.resting();
      return resting === null ? null : `${name} is left alone: ${resting}`;
    };
    return ENGINE_ROLES.flatMap((role) => {
      const reasons = plan.lineup[role].map(why);
      return reasons.includes(null) ? [] : [`${role}: ${reasons.join('; ')}`];
    });
  }

  /** The first of each role that is to be used now. */
  first({ plan }: Assistant): Lineup {
    const pick = <R extends EngineRole>(role: R) => {
      const order = plan.lineup[role];
      return this.of(role, order.find((name) => this.get(name).guard.resting() === null) ?? order[0]!);
    };
    return { stt: pick('stt'), llm: pick('llm'), tts: pick('tts') };
  }

  states({ plan }: Assistant): LineupEntry[] {
    return ENGINE_ROLES.flatMap((role) =>
      plan.lineup[role].map((name) => {
        const engine = this.opened.get(name)?.engine;
        if (!engine) return { role, engine: name, where: 'on-machine' as const, state: 'loading' as const };
        return { role, engine: name, where: engine.where, ...engine.readiness() };
      }),
    );
  }

  list(): EngineSummary[] {
    return [...this.opened].map(([name, { engine, card }]) => {
      const { health } = engine.guard;
      return {
        name,
        title: engine.title,
        role: engine.role,
        where: engine.where,
        languages: [...engine.languages],
        ...(card?.region === undefined ? {} : { region: card.region }),
        ...(card?.prices === undefined ? {} : { prices: card.prices }),
        usualFirstMs: health.usualFirstMs === null ? null : Math.round(health.usualFirstMs),
        resting: engine.guard.resting(),
        ...engine.readiness(),
      };
    });
  }

  voices(assistants: readonly Assistant[]): VoiceSummary[] {
    return [...this.opened].flatMap(([name, { engine }]) => {
      if (engine.role !== 'tts') return [];
      const speakers = assistants.filter(({ plan }) => plan.lineup.tts[0] === name);
      return engine.voices.map((voice) => ({
        engine: name,
        name: voice,
        languages: [...engine.languages],
        usedBy: speakers
          .filter(({ file }) => (file.voice?.name ?? engine.voices[0]) === voice)
          .map((one) => one.name),
      }));
    });
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    await Promise.all(
      [...this.opened.values()].flatMap(({ engine, server }) => [engine.close(), server?.stop()]),
    );
  }
}

function withSettings(card: EngineCard, settings: Choice['settings']): EngineCard {
  return isWired(card) ? { ...card, settings: { ...card.settings, ...settings } } : card;
}
