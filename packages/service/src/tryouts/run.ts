/**
 * A tryout: the same recordings, questions or texts through several engines of one role, one after the other.
 */
import { randomUUID } from 'node:crypto';
import {
  addErrors,
  alignWords,
  comparableWords,
  countErrors,
  errorRate,
  HOUSE_RATE_HZ,
  joinPcm16,
  languageOf,
  levelDb,
  msOfSamples,
  newSettling,
  NOTHING_USED,
  percentile,
  priceOf,
  settle,
  speakable,
  spokenLanguage,
  toFloats,
  type HeardWord,
  type Stay,
  type Used,
  type WordErrors,
} from '@verbalon/core';
import type { Asked, LlmEngine, SttEngine, TtsEngine } from '@verbalon/engines';
import type { TriedEngine, TriedItem, Tryout } from '@verbalon/protocol';
import type { EngineRegistry } from '../engines/registry.js';
import type { Assistant } from '../project/events.js';
import type { Saying } from '../sound/recordings.js';
import { wholeAnswer, wholeSound } from '../tasks/whole.js';

/** Sound goes in as a caller's does: in pieces of this length, in real time. */
const PIECE_MS = 100;

export interface TryoutPlan {
  role: 'stt' | 'llm' | 'tts';
  engines: readonly string[];
  assistant: Assistant;
  /** The strictest promise of the assistant and of the talks that the sayings come from. */
  stay: Stay | null;
  sayings: readonly Saying[];
  texts: readonly string[];
}

export type TryoutEvent =
  { kind: 'tried'; engine: string; item: TriedItem } | { kind: 'done'; tryout: Tryout };

const NOTHING: Omit<TriedItem, 'item' | 'group' | 'given'> = {
  got: '',
  errors: null,
  alignment: [],
  firstMs: null,
  endMs: null,
  flicker: null,
  realTimeFactor: null,
  rate: null,
  levelDb: null,
  audioMs: null,
  cost: null,
  rating: null,
  problem: null,
};

export async function* runTryout(
  plan: TryoutPlan,
  engines: EngineRegistry,
  signal: AbortSignal,
): AsyncIterable<TryoutEvent> {
  const tried: TriedEngine[] = [];
  for (const name of plan.engines) {
    await prepare(plan, engines, name);
    const items: TriedItem[] = [];
    for await (const item of itemsOf(plan, engines, name, signal)) {
      signal.throwIfAborted();
      items.push(item);
      yield { kind: 'tried', engine: name, item };
    }
    tried.push(summary(name, engines, items));
  }
  const { role, assistant } = plan;
  yield {
    kind: 'done',
    tryout: {
      id: randomUUID(),
      at: new Date().toISOString(),
      role,
      assistant: assistant.name,
      engines: tried,
    },
  };
}

async function prepare(
  { role, assistant }: TryoutPlan,
  engines: EngineRegistry,
  name: string,
): Promise<void> {
  if (role === 'stt') await engines.prepareEars(assistant, name).catch(() => undefined);
  await engines.warm(name).catch(() => undefined);
}

async function* itemsOf(
  { role, assistant, stay, sayings, texts }: TryoutPlan,
  engines: EngineRegistry,
  name: string,
  signal: AbortSignal,
): AsyncIterable<TriedItem> {
  const cost = (used: Partial<Used>) => {
    const prices = engines.prices(name);
    return prices && priceOf(prices, { ...NOTHING_USED, requests: 1, ...used });
  };
  const guard = async (
    about: Pick<TriedItem, 'item' | 'group' | 'given'>,
    work: () => Promise<Partial<TriedItem>>,
  ): Promise<TriedItem> => {
    try {
      return { ...NOTHING, ...about, ...(await work()) };
    } catch (error) {
      return { ...NOTHING, ...about, problem: (error as Error).message };
    }
  };
  if (role === 'stt')
    for (const saying of sayings) {
      const { name: item, group, text: given } = saying;
      yield await guard({ item, group, given }, async () => {
        const found = await hear(engines.of('stt', name), assistant, saying.samples, true, { stay, signal });
        return { ...found, ...scored(assistant, given, found.words), cost: cost({ audioMs: found.audioMs }) };
      });
    }
  for (const [i, given] of (role === 'stt' ? [] : texts).entries()) {
    const about = { item: `text ${i + 1}`, group: 'texts', given };
    if (role === 'llm')
      yield await guard(about, () => ask(engines.of('llm', name), assistant, given, cost, { stay, signal }));
    else
      yield await guard(about, () =>
        speak(engines.of('tts', name), engines.first(assistant).stt, assistant, given, cost, {
          stay,
          signal,
        }),
      );
  }
}

interface HeardSound {
  got: string;
  words: HeardWord[];
  firstMs: number | null;
  endMs: number;
  flicker: number;
  realTimeFactor: number;
  audioMs: number;
}

/** @param live in real time, as a caller's sound comes; else as fast as it can */
async function hear(
  stt: SttEngine,
  { plan, profile }: Assistant,
  samples: Int16Array,
  live: boolean,
  { stay, signal }: Asked,
): Promise<HeardSound> {
  const talk = `tryout-${randomUUID()}`;
  const stream = stt.open({ language: plan.language, profile, talk, stay, signal });
  const fromMs = performance.now();
  let endedMs = fromMs;
  const feeding = (async () => {
    const piece = (HOUSE_RATE_HZ * PIECE_MS) / 1000;
    for (let at = 0; at < samples.length && !signal.aborted; at += piece) {
      const dueMs = fromMs + (at * 1000) / HOUSE_RATE_HZ;
      if (live) await new Promise((done) => setTimeout(done, Math.max(0, dueMs - performance.now())));
      stream.push(samples.slice(at, at + piece));
    }
    endedMs = performance.now();
    stream.finish();
  })();
  let settling = newSettling();
  let firstMs: number | null = null;
  let words: HeardWord[] = [];
  let finalMs = 0;
  try {
    for await (const event of stream.events) {
      if (event.kind === 'partial') {
        if (event.words.length > 0) firstMs ??= performance.now() - fromMs;
        settling = settle(
          settling,
          event.words.map(({ word }) => word),
        );
      } else {
        words = event.words;
        finalMs = performance.now();
      }
    }
    await feeding;
  } finally {
    stt.forget(talk);
  }
  const audioMs = msOfSamples(samples.length, HOUSE_RATE_HZ);
  const got = words.map(({ word }) => word).join(' ');
  const realTimeFactor = live ? Math.max(0, finalMs - endedMs) / audioMs : (finalMs - fromMs) / audioMs;
  return {
    got,
    words,
    firstMs,
    endMs: finalMs - endedMs,
    flicker: settling.flicker,
    realTimeFactor,
    audioMs,
  };
}

/** Both as a recogniser hears them: numbers as words, no marks. */
function scored({ plan }: Assistant, given: string, words: readonly HeardWord[]) {
  const plain = (text: string) => languageOf(plan.language).plain(text);
  const alignment = alignWords(plain(given), plain(words.map(({ word }) => word).join(' ')));
  return { alignment, errors: rated(countErrors(alignment)) };
}

const rated = (errors: WordErrors) => ({ ...errors, rate: errorRate(errors) });

type CostOf = (used: Partial<Used>) => number | null;

async function ask(
  llm: LlmEngine,
  { plan }: Assistant,
  text: string,
  cost: CostOf,
  asked: Asked,
): Promise<Partial<TriedItem>> {
  const { firstMs, endMs, pieces, used, ...written } = await wholeAnswer(llm, {
    persona: plan.persona,
    messages: [{ role: 'caller', text }],
    answerLength: plan.manners.answerLength,
    language: spokenLanguage(plan),
    talk: `tryout-${randomUUID()}`,
    ...asked,
  });
  const rate = firstMs === null || pieces < 2 ? null : (pieces - 1) / ((endMs - firstMs) / 1000);
  return { got: written.text, firstMs, endMs, rate, cost: cost(used) };
}

async function speak(
  tts: TtsEngine,
  stt: SttEngine,
  assistant: Assistant,
  text: string,
  cost: CostOf,
  asked: Asked,
): Promise<Partial<TriedItem>> {
  const voice = assistant.file.voice?.name;
  const {
    samples: clip,
    firstMs,
    endMs,
  } = await wholeSound(tts, {
    text: speakable(text),
    language: spokenLanguage(assistant.plan),
    voice: voice !== undefined && tts.voices.includes(voice) ? { name: voice } : {},
    ...asked,
  });
  const audioMs = msOfSamples(clip.length, HOUSE_RATE_HZ);
  const padded = joinPcm16([new Int16Array(HOUSE_RATE_HZ / 4), clip, new Int16Array(HOUSE_RATE_HZ / 4)]);
  const understood = await hear(stt, assistant, padded, false, asked);
  return {
    got: understood.got,
    ...scored(assistant, text, understood.words),
    firstMs,
    endMs,
    realTimeFactor: endMs / audioMs,
    rate: comparableWords(text).length / (audioMs / 1000),
    levelDb: levelDb(toFloats(clip)),
    audioMs,
    cost: cost({ characters: text.length }),
  };
}

function summary(engine: string, engines: EngineRegistry, items: TriedItem[]): TriedEngine {
  const good = items.filter(({ problem }) => problem === null);
  const errorsOf = (some: readonly TriedItem[]) => {
    const all = some.flatMap(({ errors }) => errors ?? []);
    return all.length === 0 ? null : rated(addErrors(all));
  };
  const spread = (key: 'firstMs' | 'endMs' | 'realTimeFactor' | 'rate' | 'levelDb') => {
    const values = good.flatMap((item) => item[key] ?? []);
    return values.length === 0
      ? null
      : { n: values.length, p50: percentile(values, 0.5), p95: percentile(values, 0.95) };
  };
  const costs = good.flatMap(({ cost }) => cost ?? []);
  const groups = [...new Set(good.map(({ group }) => group))];
  return {
    engine,
    where: engines.get(engine).where,
    currency: engines.prices(engine)?.currency ?? null,
    cost: costs.length === 0 ? null : costs.reduce((sum, one) => sum + one, 0),
    errors: errorsOf(good),
    byGroup: groups.flatMap((group) => {
      const errors = errorsOf(good.filter((item) => item.group === group));
      return errors ? [{ group, errors }] : [];
    }),
    firstMs: spread('firstMs'),
    endMs: spread('endMs'),
    realTimeFactor: spread('realTimeFactor'),
    rate: spread('rate'),
    levelDb: spread('levelDb'),
    flicker: good.some(({ flicker }) => flicker !== null)
      ? good.reduce((sum, { flicker }) => sum + (flicker ?? 0), 0)
      : null,
    failed: items.length - good.length,
    items,
  };
}
