/**
 * A real round trip with an engine, twice: does it answer, how fast, and what is to be done if it does not.
 */
import {
  comparableWords,
  errorRate,
  HOUSE_RATE_HZ,
  levelDb,
  wordErrors,
  msOfSamples,
  toFloats,
} from '@verbalon/core';
import { EngineFault, type LlmEngine, type SttEngine, type TtsEngine } from '@verbalon/engines';
import type { EngineCheck } from '@verbalon/protocol';
import { isProblemCode, problemOf } from '../problems/problems.js';
import type { Project } from '../project/project.js';
import { recordingSound } from '../sound/recordings.js';
import { wholeAnswer, wholeSound } from '../tasks/whole.js';
import type { Guarded } from './opening.js';
import type { EngineRegistry } from './registry.js';

const PATIENCE_MS = 15_000;
/** Slower than this to its first answer is too slow for a talk, in ms. */
const SLOW_MS = 1_500;
/** A first call that is so much slower than the second is worth a note. */
const WARMING_FACTOR = 2;
const WARMING_MS = 150;
const QUESTION = 'What time is supper?';
const SENTENCE = 'Supper is at half past six.';
/**
 * A letter sounds about so long, in ms; a clip that differs by more than this factor is at the wrong rate.
 */
const LETTER_MS = 62;
const WRONG_RATE_FACTOR = 1.8;
/** Speech is hardly ever louder than this all the time, in dBFS; sound of the wrong encoding is. */
const NOISE_DB = -6;

/** Ears that hear more of the words wrong are doubtful, in %. */
const MOST_ERRORS = 20;
const OF_CALLER = {
  ok: true,
  doubtful: false,
  firstMs: null,
  againMs: null,
  answered: '',
  expected: null,
  notes: ['each page brings one of its own: it answers only during a talk (docs/embedding.md)'],
  problem: null,
};

interface Trip {
  firstMs: number;
  answered: string;
  expected?: string;
  /** It answered, and not what it should. */
  doubtful?: boolean;
  notes: string[];
}

export async function checkEngine(
  project: Project,
  engines: EngineRegistry,
  name: string,
): Promise<EngineCheck> {
  const engine = engines.get(name);
  const about = { name, role: engine.role, where: engine.where };
  // Only a talk has one.
  if (engine.guard.isOfCaller) return { ...about, ...OF_CALLER };
  try {
    await inTime(name, engines.warm(name));
    const first = await trip(engine, project);
    const again = await trip(engine, project);
    const notes = [...again.notes];
    if (first.firstMs > WARMING_FACTOR * again.firstMs + WARMING_MS)
      notes.push('the first call was much slower than the second: keep it warm');
    if (again.firstMs > SLOW_MS)
      notes.push(`${Math.round(again.firstMs)} ms to its first answer is too slow for a talk`);
    const round = (ms: number) => Math.round(ms * 10) / 10;
    return {
      ...about,
      ok: true,
      doubtful: again.doubtful ?? false,
      firstMs: round(first.firstMs),
      againMs: round(again.firstMs),
      answered: again.answered,
      expected: again.expected ?? null,
      notes,
      problem: null,
    };
  } catch (error) {
    const code = error instanceof EngineFault && isProblemCode(error.code) ? error.code : 'engine-down';
    const detail = error instanceof EngineFault ? error.detail : String(error);
    return {
      ...about,
      ok: false,
      doubtful: false,
      firstMs: null,
      againMs: null,
      answered: '',
      expected: null,
      notes: [],
      problem: problemOf(code, detail),
    };
  }
}

/** @throws EngineFault `engine-late` */
async function inTime<T>(name: string, work: Promise<T>): Promise<T> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    const fault = new EngineFault('engine-late', `${name} was not ready within ${PATIENCE_MS / 1000} s`);
    timer = setTimeout(() => reject(fault), PATIENCE_MS);
  });
  return Promise.race([work, late]).finally(() => clearTimeout(timer));
}

async function trip(engine: Guarded, project: Project): Promise<Trip> {
  const abort = new AbortController();
  const timer = setTimeout(() => abort.abort(), PATIENCE_MS);
  try {
    const { signal } = abort;
    if (engine.role === 'stt') return await hearing(engine, project, signal);
    if (engine.role === 'llm') return await thinking(engine, signal);
    return await speaking(engine, signal);
  } catch (error) {
    if (!abort.signal.aborted) throw error;
    throw new EngineFault('engine-late', `${engine.name} was not done within ${PATIENCE_MS / 1000} s`);
  } finally {
    clearTimeout(timer);
  }
}

/** A recording of the project goes in as fast as it can; the time counts from its end. */
async function hearing(engine: SttEngine, project: Project, signal: AbortSignal): Promise<Trip> {
  const { samples, text } = recordingSound(project.folder);
  const language = engine.languages[0] ?? 'en';
  const stream = engine.open({ language, profile: null, talk: 'check', stay: null, signal });
  for (let at = 0; at < samples.length; at += HOUSE_RATE_HZ / 5)
    stream.push(samples.slice(at, at + HOUSE_RATE_HZ / 5));
  const fromMs = performance.now();
  stream.finish();
  let heard = '';
  let finalMs = 0;
  for await (const event of stream.events) {
    if (event.kind !== 'final') continue;
    finalMs = performance.now() - fromMs;
    heard = event.words.map(({ word }) => word).join(' ');
  }
  engine.forget('check');
  if (finalMs === 0) throw new EngineFault('engine-garbled', `${engine.name} ended without final words`);
  if (text === '')
    return {
      firstMs: finalMs,
      answered: heard,
      notes: [
        'whether it hears rightly could not be judged: there are no recordings in this project. Put a WAV file and its words beside it: recordings/NAME.wav, recordings/NAME.txt',
      ],
    };
  // The answer came: whether the words did is the other half of what ears are for.
  const rate = errorRate(wordErrors(comparableWords(text), comparableWords(heard)));
  const percent = Math.round(100 * rate);
  const notes =
    heard === ''
      ? ['it heard no word']
      : percent > MOST_ERRORS
        ? [
            `it heard ${percent} % of the words wrong: is it its language? An assistant's expected phrases help it`,
          ]
        : [];
  return {
    firstMs: finalMs,
    doubtful: percent > MOST_ERRORS || heard === '',
    answered: heard,
    expected: text,
    notes,
  };
}

/** A function that a model may ask for in a check; it is not called. */
const FUNCTION = {
  name: 'supper-time',
  about: 'at what time supper is',
  parameters: { type: 'object', properties: {}, additionalProperties: false },
};

async function thinking(engine: LlmEngine, signal: AbortSignal): Promise<Trip> {
  const { firstMs, text, called } = await wholeAnswer(engine, {
    persona: 'You answer in one short sentence.',
    messages: [{ role: 'caller', text: QUESTION }],
    answerLength: 'brief',
    language: engine.languages[0] ?? 'en',
    talk: 'check',
    functions: [FUNCTION],
    stay: null,
    signal,
  });
  if (firstMs === null) throw new EngineFault('engine-garbled', `${engine.name} wrote nothing`);
  const names = [...new Set(called.map(({ name, arguments: given }) => `${name}(${JSON.stringify(given)})`))];
  return { firstMs, answered: text, notes: names.map((name) => `it asked for the function ${name}`) };
}

async function speaking(engine: TtsEngine, signal: AbortSignal): Promise<Trip> {
  const language = engine.languages[0] ?? 'en';
  const { samples: all, firstMs } = await wholeSound(engine, {
    text: SENTENCE,
    language,
    voice: {},
    stay: null,
    signal,
  });
  if (firstMs === null || all.length === 0)
    throw new EngineFault('engine-garbled', `${engine.name} gave no sound`);
  const ms = msOfSamples(all.length, HOUSE_RATE_HZ);
  const level = levelDb(toFloats(all));
  const factor = ms / (SENTENCE.length * LETTER_MS);
  const notes: string[] = [];
  if (factor > WRONG_RATE_FACTOR || factor < 1 / WRONG_RATE_FACTOR)
    notes.push(
      `its sound is ${factor.toFixed(1)} times as long as usual: is the rate that its card says right?`,
    );
  if (level > NOISE_DB)
    notes.push(
      `its sound is as loud as noise (${level.toFixed(0)} dBFS): is the encoding that its card says right? For sound with a head, or compressed, write receive.encoding: auto`,
    );
  return { firstMs, answered: `${(ms / 1000).toFixed(1)} s of sound at ${level.toFixed(0)} dBFS`, notes };
}
