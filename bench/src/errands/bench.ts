/**
 * Errands measured: values of first sentences, whole errands, own time from a yes to the request, values
 * while the caller speaks.
 */
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { callWithRecording, TypedTalk } from '@verbalon/client/node';
import {
  ErrandBook,
  HOUSE_RATE_HZ,
  joinPcm16,
  languageOf,
  percentile,
  seeded,
  toFloats,
  toPcm16,
  trySayings,
  writeWav,
  type NamedErrand,
  type SlotValue,
} from '@verbalon/core';
import { FliteEngine } from '@verbalon/engines';
import type { ServiceMessageOf } from '@verbalon/protocol';
import { benchService, round, together, type BenchService } from '../common/stage.js';
import { noise, scaledTo } from '../turns/noises.js';
import { oneErrand, type Heard, type Outcome } from './callers.js';
import { demoProject, Ears } from './ears.js';
import { booking, first, TODAY, type First } from './sentences.js';

const FIRST_SENTENCES = 300;
const WHOLE_ERRANDS = 120;
/** The walkers of the demo, with which the errands were tried, speak with another one. */
const VOICES = ['awb', 'slt'];
const SPEECH_DB = -20;
const SNR_DB = 10;
const YES_TIMES = 200;
/** Between two of them, in ms. */
const BETWEEN_MS = 300;
const LIVE_BOOKINGS = 16;
const LIVE_EVERY_MS = 15_000;
const NOW = { day: TODAY, minute: 600 };
const NAMES = ['book-bunks', 'change-booking', 'cancel-booking', 'weather'];

type Way = 'typed' | 'spoken clean' | `spoken at ${typeof SNR_DB} dB`;
const WAYS: readonly Way[] = ['typed', 'spoken clean', `spoken at ${SNR_DB} dB`];

const errands = (): NamedErrand[] => NAMES.map((name) => demoProject().errands.get(name)!);

export async function errandsBench(): Promise<object> {
  const seed = Number(process.env.VERBALON_SEED ?? 1);
  const tts = new FliteEngine({
    name: 'callers',
    title: 'callers',
    languages: ['en'],
    voices: Object.fromEntries(VOICES.map((name) => [name, name])),
    hosts: 2,
  });
  await tts.warm();
  const service = await benchService([], undefined, true);
  const ears = await Ears.open(tts);
  try {
    // It takes half an hour: what is known is told at once.
    const told = <T extends object>(found: T): T => {
      process.stderr.write(`  ${JSON.stringify(found)}\n`);
      return found;
    };
    const yes = told(await fromYes());
    const speaking = told(await whileSpeaking(seed, tts, service));
    const rows = [];
    for (const way of WAYS) rows.push(told(await oneWay(way, seed, tts, ears)));
    return { seed, rows, ...speaking, ...yes };
  } finally {
    await service.end();
    await ears.close();
    await tts.close();
  }
}

async function oneWay(way: Way, seed: number, tts: FliteEngine, ears: Ears) {
  const random = seeded(seed);
  const heard = hearing(way, seed, tts, ears);
  const book = errands();
  const sentences = Array.from({ length: FIRST_SENTENCES }, () => first(random));
  const scores = await together(sentences, 2, async (one) => scoreOf(one, await heard(one.text, null), book));
  const sum = (of: (score: Score) => number) => scores.reduce((all, one) => all + of(one), 0);
  const [right, given, wanted] = [sum((one) => one.right), sum((one) => one.given), sum((one) => one.wanted)];
  const { errands: words } = languageOf('en');
  const context = { book: new ErrandBook(book, 'en'), words: words!, now: NOW, person: false };
  const callers = Array.from({ length: WHOLE_ERRANDS }, (_, i) => seeded(seed * 1_009 + i));
  const whole: Outcome[] = way.endsWith('dB')
    ? []
    : await together(callers, 2, (one) => oneErrand(one, heard, context));
  const done = whole.filter((one) => one.done);
  return {
    way,
    sentences: sentences.length,
    f1: round((2 * right) / (given + wanted), 3),
    precision: round(right / given, 3),
    recall: round(right / wanted, 3),
    wholeRight: round(
      scores.filter(({ right: r, given: g, wanted: w }) => r === g && r === w).length / scores.length,
      3,
    ),
    ...(whole.length === 0
      ? {}
      : {
          errands: whole.length,
          doneRight: round(done.filter((one) => one.right).length / whole.length, 3),
          notDone: whole.length - done.length,
          doneWrong: done.filter((one) => !one.right).length,
          withoutYes: done.filter((one) => one.unwanted).length,
          extraQuestions: round(done.reduce((all, { extra }) => all + extra, 0) / done.length, 2),
        }),
  };
}

interface Score {
  right: number;
  given: number;
  wanted: number;
}

/**
 * Values that are right, that were given, and that should have been. An errand that is not begun gives none.
 */
function scoreOf({ errand, gives }: First, text: string, book: readonly NamedErrand[]): Score {
  const [tried] = trySayings(book, [text], 'en', NOW);
  const got = tried?.errand === errand ? tried.slots : {};
  const values = Object.entries(got).filter(([, { byDefault }]) => !byDefault);
  const right = values.filter(
    ([name, { value }]) => (gives as Record<string, SlotValue | undefined>)[name] === value,
  ).length;
  return { right, given: values.length, wanted: Object.keys(gives).length };
}

/** What of a saying reaches the assistant: by the ears that a talk has, told what is asked for. */
function hearing(way: Way, seed: number, tts: FliteEngine, ears: Ears): Heard {
  if (way === 'typed') return (text) => Promise.resolve(text);
  let said = 0;
  return async (text, asked) => {
    const samples = await spoken(text, VOICES[said++ % VOICES.length]!, tts);
    const sound = way === 'spoken clean' ? samples : noisy(samples, seeded(seed + said));
    return ears.hear(sound, asked);
  };
}

async function spoken(text: string, voice: string, tts: FliteEngine): Promise<Int16Array> {
  const pieces: Int16Array[] = [new Int16Array(HOUSE_RATE_HZ / 2)];
  const request = {
    text,
    language: 'en',
    voice: { name: voice },
    stay: null,
    signal: new AbortController().signal,
  };
  for await (const { samples } of tts.speak(request)) pieces.push(samples);
  pieces.push(new Int16Array(HOUSE_RATE_HZ / 2));
  return toPcm16(scaledTo(toFloats(joinPcm16(pieces)), SPEECH_DB));
}

/** In white noise: of the kinds there are the hardest for words. */
function noisy(samples: Int16Array, random: () => number): Int16Array {
  const around = scaledTo(noise('white', samples.length, random, []), SPEECH_DB - SNR_DB);
  return toPcm16(toFloats(samples).map((sample, i) => sample + around[i]!));
}

/** From the end of a word, as the ears place it, to the first message with the value that stayed. */
async function whileSpeaking(seed: number, tts: FliteEngine, service: BenchService) {
  const random = seeded(seed + 7);
  const parts: Int16Array[] = [];
  for (let i = 0; i < LIVE_BOOKINGS; i++) {
    const said = await spoken(booking(random).text, VOICES[i % VOICES.length]!, tts);
    parts.push(said, new Int16Array(Math.max(0, (LIVE_EVERY_MS * HOUSE_RATE_HZ) / 1000 - said.length)));
  }
  const recording = writeWav([joinPcm16(parts)], HOUSE_RATE_HZ);
  const { messages } = await callWithRecording({ address: service.address, assistant: 'tansy', recording });
  const told = messages.filter((one): one is ServiceMessageOf<'errand'> => one.kind === 'errand');
  const delays: number[] = [];
  told.forEach((settled, i) => {
    if (settled.provisional) return;
    for (const { name, value, toMs } of settled.slots) {
      if (
        toMs === undefined ||
        told
          .slice(0, i)
          .some(
            (one) => !one.provisional && one.slots.some((slot) => slot.name === name && slot.toMs === toMs),
          )
      )
        continue;
      const shown = told.find(
        (one) =>
          one.atMs >= toMs - 1_000 &&
          one.run === settled.run &&
          one.slots.some((slot) => slot.name === name && slot.value === value),
      );
      if (shown) delays.push(shown.atMs - toMs);
    }
  });
  return {
    provisionalValues: delays.length,
    provisionalP50Ms: round(percentile(delays, 0.5)),
    provisionalP95Ms: round(percentile(delays, 0.95)),
  };
}

/** From the typed yes to the request at the system that does it, the socket and the database in between. */
async function fromYes() {
  let arrived = 0;
  const server = createServer((request, response) => {
    if (request.method === 'POST') arrived = performance.now();
    request.resume();
    response.writeHead(200, { 'content-type': 'application/json' }).end('{"number":"1"}');
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address() as AddressInfo;
  const service = await benchService([], undefined, true, `http://127.0.0.1:${port}`);
  const talk = await TypedTalk.begin(service.address, 'tansy');
  const times: number[] = [];
  for (let i = 0; i < YES_TIMES; i++) {
    await talk.says('book one bunk at Heron Hut for Monday under Miller');
    const fromMs = performance.now();
    await talk.says('yes');
    times.push(arrived - fromMs);
    // A line that sends more than a caller can say is closed.
    await new Promise((done) => setTimeout(done, BETWEEN_MS));
  }
  talk.leave();
  await service.end();
  server.close();
  return {
    yesToRequest: times.length,
    yesToRequestP50Ms: round(percentile(times, 0.5), 2),
    yesToRequestP99Ms: round(percentile(times, 0.99), 2),
  };
}
