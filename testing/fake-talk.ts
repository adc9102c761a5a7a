/**
 * A session with engines and a line of the test's own, on a clock that is turned by hand: hours of talk in
 * milliseconds.
 */
import {
  HOUSE_RATE_HZ,
  languageOf,
  NOTHING_USED,
  USUAL_MANNERS,
  type EngineRole,
  type Manners,
  type Plan,
} from '@verbalon/core';
import {
  EngineFault,
  EventQueue,
  type AnyEngine,
  type LlmEvent,
  type LlmRequest,
  type SttEvent,
  type TtsEvent,
  type TtsRequest,
} from '@verbalon/engines';
import type { ServiceMessage, ServiceMessageKind, ServiceMessageOf } from '@verbalon/protocol';
import { pino } from 'pino';
import type { PacedFrame } from '../packages/service/src/talk/session/pacer.js';
import { PhraseStore } from '../packages/service/src/talk/session/phrase-store.js';
import { Session, type SessionOptions } from '../packages/service/src/talk/session/session.js';
import { Spending } from '../packages/service/src/talk/session/spending.js';
import { VirtualClock } from './virtual-clock.js';

/** How an engine behaves. `late`: it says that it is, and answers after that. */
export type Behaviour = 'answers' | 'fails' | 'fails halfway' | 'never answers' | 'late';

export const WORD_MS = 200;
const STEP_MS = 20;
const FIRST_MS = 200;

/** One request to an engine, as the test sees it. */
export interface Asked {
  role: EngineRole;
  engine: string;
  signal: AbortSignal;
  /** The last message, or the phrase; null for ears. */
  text: string | null;
  /** It came to its end by itself. */
  ended: boolean;
}

export interface Hearing extends Asked {
  events: EventQueue<SttEvent>;
  finished: boolean;
}

export interface FakeTalkOptions {
  manners?: Partial<Manners>;
  plan?: Partial<Plan>;
  /** Of one request; in the budget's currency, of which a talk may cost 1. */
  price?: number;
  engines?: Record<string, Behaviour>;
  /** What an engine does instead, by its name. */
  own?: Record<string, object>;
  reply?: string;
  /** Words of its ears may be put right by their sound. */
  settles?: boolean;
  options?: Partial<SessionOptions>;
}

const LINEUP = { stt: ['ears', 'other-ears'], llm: ['mind', 'other-mind'], tts: ['voice', 'other-voice'] };

export class FakeTalk {
  readonly clock = new VirtualClock();
  readonly asked: Asked[] = [];
  readonly messages: ServiceMessage[] = [];
  readonly booked: string[] = [];
  readonly session: Session;
  closed: { why: string; failed: boolean } | null = null;
  /** So much came out of the loudspeaker. */
  playedMs = 0;
  /** The line says nothing of what it plays. */
  isMute = false;
  readonly behaviours: Record<string, Behaviour>;
  private readonly queue: PacedFrame[] = [];
  private readonly at = new Map<number, number>();

  constructor(private readonly how: FakeTalkOptions = {}) {
    this.behaviours = { ...how.engines };
    const plan: Plan = {
      purpose: 'talk',
      language: 'en',
      persona: '',
      greeting: '',
      sayings: languageOf('en').sayings,
      names: [],
      written: false,
      expect: { phrases: [] },
      lineup: LINEUP,
      ...how.plan,
      manners: { ...USUAL_MANNERS, firstWordMs: 0, headStarts: 0, fillerAfterMs: 0, ...how.manners },
    };
    this.session = new Session({
      id: 'test',
      zone: 'UTC',
      errands: {
        run: () => Promise.resolve({ ending: 'done', given: {} }),
        stop: () => undefined,
        note: () => undefined,
      },
      plan,
      stay: null,
      profile: null,
      voice: {},
      engines: {
        of: (role: EngineRole, name: string) => this.engine(role, name),
        prices: () => null,
        voice: () => null,
        settlesBySound: () => how.settles ?? false,
      } as never,
      phrases: new PhraseStore(0),
      stages: {
        heard: (words: unknown) => Promise.resolve(words),
        asked: (messages: unknown) => Promise.resolve(messages),
        spoken: (text: unknown) => Promise.resolve(text),
      } as never,
      choice: {
        swap: (role, engine) => Promise.resolve({ kind: 'swapAsked', role, engine }),
        languageSet: ({ speaks }) => ({
          kind: 'languageSet',
          hears: 'en',
          speaks: speaks ?? 'en',
          lineup: plan.lineup as never,
        }),
      },
      spending: new Spending({
        prices: () => (how.price === undefined ? null : { currency: 'EUR', request: how.price }),
        usedBefore: () => NOTHING_USED,
        spentToday: () => 0,
        budget: how.price === undefined ? undefined : { currency: 'EUR', talk: 1 },
        keep: (uses) =>
          this.booked.push(...uses.map(({ role, engine, waste }) => `${role} ${engine} ${waste ?? 'used'}`)),
        warn: () => undefined,
        usedUp: (detail) => this.session.happen({ kind: 'closeAsked', detail }),
      }),
      rateHz: HOUSE_RATE_HZ,
      mayEcho: false,
      log: pino({ level: 'silent' }),
      clock: this.clock,
      record: { journal: () => undefined, audio: () => undefined, turn: () => undefined },
      line: { send: this.send, play: this.play, close: (why, failed) => (this.closed ??= { why, failed }) },
      ...how.options,
    });
    this.session.begin();
  }

  /** Time goes on; engines, timers and the line do what is due. */
  async pass(ms: number): Promise<void> {
    for (let passed = 0; passed < ms; passed += STEP_MS) {
      this.clock.pass(STEP_MS);
      await this.settle();
      this.playOn(STEP_MS);
      await this.settle();
    }
  }

  /** Whatever waits for nothing but its turn is done. */
  async settle(): Promise<void> {
    for (let i = 0; i < 4; i++) await new Promise((done) => setImmediate(done));
  }

  /** Until it holds, for at most a minute of the talk. */
  async until(holds: () => boolean): Promise<void> {
    for (let i = 0; i < 3_000 && !holds(); i++) await this.pass(STEP_MS);
    if (!holds()) throw new Error(`it was waited for in vain: ${holds.toString()}`);
  }

  /** The caller says this, and is silent then. */
  async say(text: string): Promise<void> {
    const words = text.split(' ').filter(Boolean);
    const voicedMs = Math.max(1, words.length) * WORD_MS;
    const fromMs = this.clock.nowMs();
    this.session.happen({ kind: 'voiceBegan', atMs: fromMs });
    await this.settle();
    for (let ms = WORD_MS; ms <= voicedMs; ms += WORD_MS) {
      await this.pass(WORD_MS);
      this.session.happen({ kind: 'voiceGoes', atMs: fromMs + ms, voicedMs: ms, pitchedMs: ms });
    }
    this.session.happen({ kind: 'voiceEnded', atMs: fromMs + voicedMs, voicedMs, pitchedMs: voicedMs });
    await this.hearOut(words);
  }

  /** Every recognition whose sound has all come ends with these words. */
  private async hearOut(words: readonly string[]): Promise<void> {
    for (let tries = 0; tries < 3; tries++) {
      await this.pass(60);
      for (const one of this.hearings.filter(
        ({ finished, ended, signal }) => finished && !ended && !signal.aborted,
      )) {
        one.ended = true;
        if (this.behaviours[one.engine] === 'fails')
          one.events.fail(new EngineFault('engine-down', `${one.engine} is gone`));
        else if (this.behaviours[one.engine] !== 'never answers') {
          const heard = words.map((word, i) => ({ word, fromMs: i * WORD_MS, toMs: (i + 1) * WORD_MS }));
          one.events.push({ kind: 'final', words: heard, alternatives: [] });
          one.events.end();
        }
      }
      await this.settle();
    }
  }

  told<K extends ServiceMessageKind>(kind: K): ServiceMessageOf<K>[] {
    return this.messages.filter((message): message is ServiceMessageOf<K> => message.kind === kind);
  }

  get reports() {
    return this.told('turn').map(({ report }) => report);
  }

  /** What the model was asked, each by its last message. */
  questions(engine?: string): (string | null)[] {
    return this.asked
      .filter((one) => one.role === 'llm' && (!engine || one.engine === engine))
      .map(({ text }) => text);
  }

  /** Requests that are neither answered nor cancelled. */
  get open(): Asked[] {
    return this.asked.filter(({ ended, signal }) => !ended && !signal.aborted);
  }

  get hearings(): Hearing[] {
    return this.asked.filter((one): one is Hearing => one.role === 'stt');
  }

  private engine(role: EngineRole, name: string): AnyEngine {
    const common = {
      name,
      title: name,
      role,
      where: 'on-machine',
      languages: ['*'],
      readiness: () => ({ state: 'ready' }),
    };
    return {
      ...common,
      voices: ['a'],
      open: ({ signal }: { signal: AbortSignal }) => this.opened(name, signal),
      forget: () => undefined,
      think: (request: LlmRequest) => this.think(name, request),
      speak: (request: TtsRequest) => this.speak(name, request),
      ...this.how.own?.[name],
    } as never;
  }

  private opened(engine: string, signal: AbortSignal) {
    const events = new EventQueue<SttEvent>();
    const hearing: Hearing = {
      role: 'stt',
      engine,
      signal,
      text: null,
      ended: false,
      events,
      finished: false,
    };
    this.asked.push(hearing);
    signal.addEventListener('abort', () => events.end(), { once: true });
    return { push: () => undefined, finish: () => (hearing.finished = true), events };
  }

  private async *think(engine: string, { messages, signal }: LlmRequest): AsyncIterable<LlmEvent> {
    const one: Asked = { role: 'llm', engine, signal, text: messages.at(-1)?.text ?? '', ended: false };
    this.asked.push(one);
    const behaviour = this.behaviours[engine] ?? 'answers';
    try {
      if (behaviour === 'fails') throw new EngineFault('engine-down', `${engine} is gone`);
      if (behaviour === 'never answers') return await this.wait(Infinity, signal);
      await this.wait(FIRST_MS, signal);
      if (behaviour === 'late') {
        yield { kind: 'late' };
        await this.wait(20 * FIRST_MS, signal);
      }
      const words = (this.how.reply ?? 'It is open. Take good boots with you.').split(' ');
      for (const [i, word] of words.entries()) {
        if (signal.aborted) return;
        if (behaviour === 'fails halfway' && i === Math.ceil(words.length / 2))
          throw new EngineFault('engine-down', `${engine} is gone`);
        yield { kind: 'piece', text: i === 0 ? word : ` ${word}` };
        await this.wait(40, signal);
      }
    } finally {
      one.ended = true;
    }
  }

  private async *speak(engine: string, { text, signal }: TtsRequest): AsyncIterable<TtsEvent> {
    const one: Asked = { role: 'tts', engine, signal, text, ended: false };
    this.asked.push(one);
    const behaviour = this.behaviours[engine] ?? 'answers';
    try {
      if (behaviour === 'fails') throw new EngineFault('engine-down', `${engine} is gone`);
      if (behaviour === 'never answers') return await this.wait(Infinity, signal);
      await this.wait(40, signal);
      const words = text.split(' ').map((word, i) => ({ word, endMs: (i + 1) * WORD_MS }));
      const said = behaviour === 'fails halfway' ? words.slice(0, Math.ceil(words.length / 2)) : words;
      const samples = new Int16Array((said.length * WORD_MS * HOUSE_RATE_HZ) / 1000).fill(900);
      yield { kind: 'audio', samples, words };
      if (behaviour === 'fails halfway') throw new EngineFault('engine-down', `${engine} is gone`);
    } finally {
      one.ended = true;
    }
  }

  private wait(ms: number, signal: AbortSignal): Promise<void> {
    return new Promise((done) => {
      if (signal.aborted) return done();
      const forget = ms === Infinity ? () => undefined : this.clock.after(ms, done);
      signal.addEventListener('abort', () => (forget(), done()), { once: true });
    });
  }

  private readonly send = (message: ServiceMessage): void => {
    this.messages.push(message);
    if (message.kind === 'hush') this.flush();
  };

  private readonly play = (frame: PacedFrame): void => {
    this.queue.push(frame);
  };

  private get capture(): number {
    return Math.floor((this.clock.nowMs() * HOUSE_RATE_HZ) / 1000);
  }

  /** The loudspeaker plays what it has, one phrase after the other, and reports it. */
  private playOn(ms: number): void {
    let left = (ms * HOUSE_RATE_HZ) / 1000;
    while (left > 0 && this.queue.length > 0) {
      const frame = this.queue[0]!;
      const from = this.at.get(frame.speech) ?? 0;
      const end = frame.firstSample + frame.samples.length;
      const count = Math.min(left, Math.max(0, end - from));
      left -= count;
      this.playedMs += (count * 1000) / HOUSE_RATE_HZ;
      this.at.set(frame.speech, from + count);
      if (from + count >= end) this.queue.shift();
      if (!this.isMute) this.session.played(frame.speech, from + count, this.capture, false);
    }
  }

  private flush(): void {
    const speech = this.queue[0]?.speech ?? [...this.at.keys()].at(-1);
    this.queue.length = 0;
    if (speech === undefined || this.isMute) return;
    this.clock.after(10, () => this.session.played(speech, this.at.get(speech) ?? 0, this.capture, true));
  }
}
