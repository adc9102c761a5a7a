/** The shell of one talk with engines and a line of the test's own: an error ends it alone, and nothing is cut off by its own effects. */
import { describe, expect, it } from '@jest/globals';
import {
  HOUSE_RATE_HZ,
  languageOf,
  NOTHING_USED,
  USUAL_MANNERS,
  type HeardWord,
  type Plan,
} from '@verbalon/core';
import type { AnyEngine, LlmEngine, LlmRequest, SttEngine, SttEvent, TtsEngine } from '@verbalon/engines';
import { EventQueue } from '@verbalon/engines';
import type { ServiceMessage } from '@verbalon/protocol';
import { pino } from 'pino';
import type { OwnStages } from '../src/stages/own-stages.js';
import { PhraseStore } from '../src/talk/phrase-store.js';
import { Spending } from '../src/talk/spending.js';
import { Talk, type TalkOptions } from '../src/talk/talk.js';
import { until } from '../../../testing/service.js';

const PLAN: Plan = {
  purpose: 'talk',
  language: 'en',
  persona: '',
  greeting: '',
  sayings: languageOf('en').sayings,
  names: [],
  written: true,
  expect: { phrases: [] },
  lineup: { stt: ['ears'], llm: ['mind'], tts: ['voice'] },
  manners: { ...USUAL_MANNERS, firstWordMs: 0, headStarts: 0, fillerAfterMs: 0 },
};
const ready = {
  title: 'T',
  where: 'on-machine' as const,
  languages: ['en'],
  readiness: () => ({ state: 'ready' as const }),
  warm: () => Promise.resolve(),
  close: () => Promise.resolve(),
};

/** A talk, and what came of it. */
function talkWith(changes: {
  engines?: Partial<Record<string, object>>;
  stages?: object;
  prices?: number;
  options?: Partial<TalkOptions>;
}) {
  const seen = {
    asked: 0,
    booked: [] as (string | null)[],
    failed: 0,
    hungUp: 0,
    messages: [] as ServiceMessage[],
  };
  const finals: EventQueue<SttEvent>[] = [];
  const engines: Record<string, AnyEngine> = {
    ears: {
      ...ready,
      name: 'ears',
      role: 'stt',
      prepare: () => Promise.resolve([]),
      forget: () => undefined,
      open: () => {
        const events = new EventQueue<SttEvent>();
        finals.push(events);
        return { push: () => undefined, finish: () => undefined, events };
      },
      ...changes.engines?.ears,
    } as SttEngine,
    mind: {
      ...ready,
      name: 'mind',
      role: 'llm',
      async *think({ signal }: LlmRequest) {
        seen.asked++;
        yield { kind: 'piece', text: 'Yes, it is.' };
        if (signal.aborted) return;
        yield { kind: 'usage', piecesIn: 5, piecesOut: 3 };
      },
      ...changes.engines?.mind,
    } as LlmEngine,
    voice: {
      ...ready,
      name: 'voice',
      role: 'tts',
      voices: ['a'],
      pronounce: () => Promise.resolve({}),
      async *speak() {
        yield { kind: 'audio', samples: new Int16Array(HOUSE_RATE_HZ / 10).fill(900), words: null };
      },
      ...changes.engines?.voice,
    } as TtsEngine,
  };
  const talk: Talk = new Talk({
    id: 'test',
    plan: PLAN,
    stay: null,
    profile: null,
    voice: {},
    engines: {
      of: (_role: string, name: string) => engines[name],
      prices: () => null,
      voice: () => null,
    } as never,
    phrases: new PhraseStore(),
    stages: {
      heard: (words: HeardWord[]) => Promise.resolve(words),
      asked: (messages: unknown) => Promise.resolve(messages),
      spoken: (text: string) => Promise.resolve(text),
      ...changes.stages,
    } as unknown as OwnStages,
    spending: new Spending({
      prices: () => (changes.prices === undefined ? null : { currency: 'EUR', request: changes.prices }),
      usedBefore: () => NOTHING_USED,
      spentToday: () => 0,
      budget: changes.prices === undefined ? undefined : { currency: 'EUR', talk: 1 },
      keep: (uses) => seen.booked.push(...uses.map(({ role, waste }) => `${role} ${waste ?? 'used'}`)),
      warn: () => undefined,
      usedUp: (why) => talk.happen({ kind: 'closeAsked', why }),
    }),
    rateHz: HOUSE_RATE_HZ,
    mayEcho: false,
    log: pino({ level: 'silent' }),
    record: { journal: () => undefined, audio: () => undefined, turn: () => undefined },
    send: (message) => seen.messages.push(message),
    sendSound: () => undefined,
    hangUp: () => seen.hungUp++,
    failed: () => seen.failed++,
    ...changes.options,
  });
  talk.begin();
  return { talk, seen, finals };
}
const typed = (text: string) => ({ kind: 'typed' as const, text });

describe('an error that nobody foresaw', () => {
  it.each<[string, Parameters<typeof talkWith>[0]]>([
    ['in an engine’s opening', { engines: { ears: { open: () => { throw new TypeError('x'); } } } }],
    ['in a stage', { stages: { spoken: () => { throw new TypeError('x'); } } }],
    ['in a stage, later', { stages: { spoken: () => Promise.reject(new TypeError('x')) } }],
    ['in the line', { options: { send: () => { throw new TypeError('x'); } } }],
    ['in the line, with sound', { options: { sendSound: () => { throw new TypeError('x'); } } }],
    ['in the record', { options: { record: { journal: () => { throw new TypeError('x'); }, audio: () => undefined, turn: () => undefined } } }],
  ])('%s ends its talk, once', async (_where, changes) => {
    const { talk, seen } = talkWith(changes);
    talk.happen(changes.engines?.ears ? { kind: 'voiceBegan', atMs: 0 } : typed('is it open'));
    await until(() => seen.failed > 0);
    talk.happen(typed('and now'));
    talk.end('later');
    expect(seen.failed).toBe(1);
  }); // prettier-ignore
});

describe('what happens while something is worked on', () => {
  it('waits until that is done: a budget that is used up in the midst of its orders ends the talk after them', async () => {
    const { talk, seen, finals } = talkWith({ prices: 5 });
    talk.happen({ kind: 'voiceBegan', atMs: 0 });
    expect(finals).toHaveLength(1);
    // Dropping the recognition costs money; that ends the talk; the talk's end drops the recognition.
    talk.happen({ kind: 'freshAsked' });
    await until(() => seen.messages.some((one) => one.kind === 'state'));
    talk.end('over');
    expect(seen.failed).toBe(0);
    expect(seen.booked.filter((one) => one?.startsWith('stt'))).toEqual(['stt cancelled']);
  });

  it('of a leaving that comes in the midst of an order is worked off before the end', () => {
    let left = false;
    let leave = (): void => undefined;
    const send = (message: ServiceMessage) => {
      if (message.kind === 'farewell') left = true;
      if (message.kind === 'state') leave();
    };
    const { talk, seen } = talkWith({ options: { send } });
    leave = () => talk.end('the line was closed');
    talk.happen(typed('is it open'));
    expect(left).toBe(true);
    expect(seen.failed).toBe(0);
  });
});

describe('what is cancelled', () => {
  it('while its messages pass a stage is neither sent nor booked', async () => {
    let passed: () => void = () => undefined;
    const stages = { asked: (messages: unknown) => new Promise((done) => (passed = () => done(messages))) };
    const { talk, seen } = talkWith({ stages });
    talk.happen(typed('is it open'));
    talk.end('over');
    passed();
    await new Promise((done) => setImmediate(done));
    expect(seen.asked).toBe(0);
    expect(seen.booked).toEqual([]);
  });

  it('while its final passes a stage is booked once', async () => {
    let passed: () => void = () => undefined;
    const stages = { heard: (words: unknown) => new Promise((done) => (passed = () => done(words))) };
    const { talk, seen, finals } = talkWith({ stages });
    talk.happen({ kind: 'voiceBegan', atMs: 0 });
    finals[0]!.push({ kind: 'final', words: [], alternatives: [] });
    finals[0]!.end();
    await new Promise((done) => setImmediate(done));
    talk.end('over');
    passed();
    await new Promise((done) => setImmediate(done));
    expect(seen.booked).toEqual(['stt used']);
  });
});
