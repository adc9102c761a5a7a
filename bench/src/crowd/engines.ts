/** Engines that answer at once and cost next to nothing: what a crowd is served with. */
import { HOUSE_RATE_HZ, msOfSamples, samplesOfMs } from '@verbalon/core';
import type { AnyEngine, LlmEngine, SttEngine, SttEvent, TtsEngine } from '@verbalon/engines';
import { EventQueue } from '@verbalon/engines';

/** A word is known so often while sound comes, in ms. */
const WORD_MS = 250;
const WORDS = 'is the path open to heron hut today'.split(' ');
const ANSWER = ['Yes, it is open. ', 'Please take good boots with you.'];
const PHRASE_MS = 1_200;

/** What is the same of all of them. */
export const INSTANT = {
  title: 'answers at once',
  where: 'on-machine' as const,
  languages: ['en'],
  readiness: () => ({ state: 'ready' as const }),
  warm: () => Promise.resolve(),
  close: () => Promise.resolve(),
};

const stt: SttEngine = {
  ...INSTANT,
  name: 'ears',
  role: 'stt',
  prepare: () => Promise.resolve([]),
  forget: () => undefined,
  open: ({ signal }) => {
    const events = new EventQueue<SttEvent>();
    let samples = 0;
    let known = 0;
    const words = () =>
      WORDS.slice(0, known).map((word, i) => ({
        word,
        fromMs: WORD_MS * i,
        toMs: WORD_MS * (i + 1),
        confidence: 0.9,
      }));
    signal.addEventListener('abort', () => events.end());
    return {
      events,
      push: (sound) => {
        samples += sound.length;
        const due = Math.min(WORDS.length, Math.floor(msOfSamples(samples, HOUSE_RATE_HZ) / WORD_MS));
        if (due === known) return;
        known = due;
        events.push({ kind: 'partial', words: words() });
      },
      finish: () => {
        events.push({ kind: 'final', words: words(), alternatives: [] });
        events.end();
      },
    };
  },
};

const llm: LlmEngine = {
  ...INSTANT,
  name: 'thinker',
  role: 'llm',
  think: async function* () {
    for (const text of ANSWER) yield { kind: 'piece', text };
  },
};

/** A tone: what it sounds like does not matter, that it is heard does. */
const phrase = Int16Array.from(
  { length: samplesOfMs(PHRASE_MS, HOUSE_RATE_HZ) },
  (_, i) => 6_000 * Math.sin(i / 9),
);

const tts: TtsEngine = {
  ...INSTANT,
  name: 'voice',
  role: 'tts',
  voices: ['slt'],
  pronounce: () => Promise.resolve({}),
  speak: async function* ({ text }) {
    const said = text.split(' ');
    const words = said.map((word, i) => ({ word, endMs: (PHRASE_MS * (i + 1)) / said.length }));
    yield { kind: 'audio', samples: phrase, words };
  },
};

export const INSTANT_ENGINES = new Map<string, AnyEngine>([stt, llm, tts].map((one) => [one.name, one]));
