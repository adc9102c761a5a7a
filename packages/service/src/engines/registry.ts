/** The engines of a project: opened at the start or when a lineup names them, warmed, looked up by name. */
import type { Logger } from 'pino';
import { ENGINE_ROLES, type EngineRole, type Prices } from '@verbalon/core';
import {
  guarded,
  type AnyEngine,
  type LlmEngine,
  type SttEngine,
  type Surroundings,
  type TtsEngine,
} from '@verbalon/engines';
import { ProblemError } from '../problems/problems.js';
import type { Assistant } from '../project/events.js';
import type { Project } from '../project/project.js';
import { choicesOf, nameOf, settlesBySound, type Choice } from '../project/cards.js';
import { HealthWatch } from './health-watch.js';
import { closeOpened, EngineOpener, type Guarded, type Opened } from './opening.js';

/** Between two looks whether an engine that was replaced is not used any more, in ms. */
const RETIRE_EVERY_MS = 500;
/** A new card serves after so long, though its engine is not warm yet, in ms. */
const WARM_PATIENCE_MS = 600;

/** Engines of a talk: one of each role, or others of the project by name. */
export interface Engines {
  of<R extends EngineRole>(role: R, name: string): Extract<AnyEngine, { role: R }>;
  prices(name: string): Prices | null;
  /** The voice that a lineup gives this engine, or null. */
  voice(name: string): string | null;
  /** Its final words may be put right by their sound. */
  settlesBySound(name: string): boolean;
}

export interface Lineup {
  stt: SttEngine;
  llm: LlmEngine;
  tts: TtsEngine;
}

export class EngineRegistry implements Engines {
  readonly opened = new Map<string, Opened>();
  readonly health: HealthWatch;

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
        holders: 0,
      });
    this.health = new HealthWatch(() => this.engines(), log);
  }

  /** Opens all engines of the project, with the settings that lineups give. */
  static async open(
    project: Project,
    around: Omit<Surroundings, 'answers' | 'model' | 'folder'>,
    log: Logger,
  ): Promise<EngineRegistry> {
    const set = new EngineRegistry(new Map(), log);
    const surroundings: Surroundings = {
      ...around,
      folder: project.folder,
      answers: (name) => project.answers(name),
      model: (name) => set.of('llm', name),
    };
    const opener = new EngineOpener(project, surroundings, log);
    set.openOne = (choice) => opener.open(choice);
    for (const engine of project.engines.keys()) await set.add({ engine, settings: {} });
    for (const assistant of project.list()) await set.openFor(assistant);
    return set;
  }

  /** Those that were replaced, until nobody uses them any more. */
  private readonly retired = new Set<Opened>();
  /** How an engine is opened that is not yet; nothing to do with where engines were given. */
  private openOne: ((choice: Choice) => Promise<Opened>) | null = null;

  /** Opens what this assistant's lineup names and nobody had named before. */
  async openFor({ file }: Assistant): Promise<void> {
    for (const choice of ENGINE_ROLES.flatMap((role) => choicesOf(file.lineup, role)))
      if (!this.opened.has(nameOf(choice))) await this.add(choice);
  }

  /**
   * The card of this engine was read again, or is gone: what is asked from now on is asked of the new one.
   * Whoever holds the old one goes on with it; it is ended when nobody does. What an assistant in use names
   * stays, though its card is gone.
   */
  async reopen(name: string, project: Project): Promise<void> {
    const before = [...this.opened].filter(([key]) => key === name || key.startsWith(`${name}?`));
    const used = new Set(
      project.list().flatMap((one) => [...Object.values(one.plan.lineup).flat(), ...earsOf(one)]),
    );
    if (!project.engines.has(name)) {
      if (before.some(([key]) => used.has(key))) return;
      for (const [key, old] of before) {
        this.opened.delete(key);
        this.retire(old);
      }
      return;
    }
    const others = before.filter(([key]) => key !== name).map(([, { settings }]) => settings);
    for (const settings of [{}, ...others]) await this.replace({ engine: name, settings }, project);
  }

  private async replace(choice: Choice, project: Project): Promise<void> {
    const next = await this.openOne?.(choice);
    if (!next) return;
    const warm = this.makeReady(next, project).catch(() => undefined);
    await Promise.race([warm, new Promise((done) => setTimeout(done, WARM_PATIENCE_MS).unref())]);
    const old = this.opened.get(nameOf(choice));
    this.opened.set(nameOf(choice), next);
    if (old) this.retire(old);
  }

  /** Warm, and ears know what callers are likely to say. */
  private async makeReady(opened: Opened, project: Project): Promise<void> {
    const { engine } = opened;
    await this.serversReady(opened);
    await engine.warm();
    if (engine.role !== 'stt') return;
    for (const user of project.list())
      if (earsOf(user).has(engine.name)) await this.prepareWith(user, engine as unknown as SttEngine);
  }

  private retire(old: Opened): void {
    this.retired.add(old);
    const timer = setInterval(() => {
      if (old.holders > 0 || old.engine.guard.busy) return;
      clearInterval(timer);
      this.retired.delete(old);
      void closeOpened(old);
    }, RETIRE_EVERY_MS);
    timer.unref();
  }

  /** The engines as they are now, for a talk: it goes on with them whatever becomes of their cards. */
  forTalk(): Engines & { release(): void } {
    const held = new Map(this.opened);
    for (const opened of held.values()) opened.holders++;
    const find = (name: string) => held.get(name) ?? this.opened.get(name);
    return {
      of: (role, name) => inRole(role, held.get(name)?.engine ?? this.get(name)),
      prices: (name) => find(name)?.card?.prices ?? null,
      voice: (name) => voiceOf(find(name)),
      settlesBySound: (name) => settlesBySound(find(name)?.card),
      release: () => {
        for (const opened of held.values()) opened.holders--;
        held.clear();
      },
    };
  }

  private async add(choice: Choice): Promise<void> {
    const opened = await this.openOne?.(choice);
    if (opened) this.opened.set(nameOf(choice), opened);
  }

  private *engines(): Iterable<[string, Guarded]> {
    for (const [name, { engine }] of this.opened) yield [name, engine];
  }

  /**
   * Gets the ears of an assistant ready for its expected phrases; names without a pronunciation are said as
   * the voice says them.
   */
  async prepare(assistant: Assistant): Promise<void> {
    await Promise.all([...earsOf(assistant)].map((name) => this.prepareEars(assistant, name)));
  }

  prepareEars(assistant: Assistant, ears: string): Promise<void> {
    return this.prepareWith(assistant, this.of('stt', ears));
  }

  private async prepareWith({ name, profile, plan }: Assistant, ears: SttEngine): Promise<void> {
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
    const unknown = await ears.prepare({ ...profile, pronunciations });
    if (unknown.length > 0)
      this.log.warn({ assistant: name, unknown }, 'expected words that cannot be heard: write them out');
  }

  /** Gets an engine, and the server behind it, ready for its first request. @throws EngineFault */
  async warm(name: string): Promise<void> {
    const opened = this.opened.get(name);
    if (!opened) return;
    await this.serversReady(opened);
    await opened.engine.warm();
  }

  /** The server behind it, and behind the model that it passes on to. */
  private async serversReady({ card, server }: Opened, seen: readonly string[] = []): Promise<void> {
    await server?.ready();
    const passTo = card?.wire === 'answers' ? card.passTo : undefined;
    const next = passTo === undefined || seen.includes(passTo) ? undefined : this.opened.get(passTo);
    if (next) await this.serversReady(next, [...seen, passTo!]);
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
    return inRole(role, this.get(name));
  }

  prices(name: string): Prices | null {
    return this.opened.get(name)?.card?.prices ?? null;
  }

  settlesBySound(name: string): boolean {
    return settlesBySound(this.opened.get(name)?.card);
  }

  voice(name: string): string | null {
    return voiceOf(this.opened.get(name));
  }

  /** The first of each role that is to be used now. */
  first({ plan }: Assistant): Lineup {
    const pick = <R extends EngineRole>(role: R) => {
      const order = plan.lineup[role];
      return this.of(role, order.find((name) => this.get(name).guard.resting() === null) ?? order[0]!);
    };
    return { stt: pick('stt'), llm: pick('llm'), tts: pick('tts') };
  }

  async close(): Promise<void> {
    this.health.stop();
    await Promise.all([...this.opened.values(), ...this.retired].map(closeOpened));
  }
}

/** Engines that hear its callers: those of its lineup, and what listens for its wake phrases. */
function earsOf({ plan }: Assistant): ReadonlySet<string> {
  return new Set([...plan.lineup.stt, ...(plan.wakeEars === undefined ? [] : [plan.wakeEars])]);
}

/** @throws ProblemError `engine-unknown` */
function inRole<R extends EngineRole>(role: R, engine: Guarded): Extract<AnyEngine, { role: R }> {
  if (engine.role !== role)
    throw new ProblemError('engine-unknown', `"${engine.name}" is of the role ${engine.role}, not ${role}`);
  return engine as unknown as Extract<AnyEngine, { role: R }>;
}

function voiceOf(opened: Opened | undefined): string | null {
  const voice = opened?.settings.voice;
  return voice === undefined ? null : String(voice);
}
