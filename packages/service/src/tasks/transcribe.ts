/**
 * One recording through an assistant's ears, as fast as they can; memory stays bounded however long it is.
 */
import { randomUUID } from 'node:crypto';
import {
  HOUSE_RATE_HZ,
  msOfSamples,
  Segmenter,
  writtenWords,
  type HeardWord,
  type SoundSegment,
} from '@verbalon/core';
import type { SttEngine, SttRequest } from '@verbalon/engines';
import type { TranscribedSegment, TranscriptionEvent } from '@verbalon/protocol';
import type { Assistant } from '../project/events.js';
import { decodedSound } from '../sound/decoding.js';

/** Stretches with a shorter pause between them are written as one, in ms. */
const SENTENCE_PAUSE_MS = 700;
/** Between two reports of how far it is, in ms of sound. */
const PROGRESS_EVERY_MS = 5_000;
/** Sound is handed to recognition in pieces of this length. */
const PIECE_SAMPLES = HOUSE_RATE_HZ / 2;

/** @throws Fault for the recording, EngineFault for the ears */
export async function* transcribe(
  file: string,
  assistant: Assistant,
  stt: SttEngine,
  signal: AbortSignal,
): AsyncIterable<TranscriptionEvent> {
  const talk = `recording-${randomUUID()}`;
  const startMs = performance.now();
  const writer = new Writer(assistant);
  let heardMs = 0;
  let told = 0;
  try {
    for await (const { segments, atMs, share, narrow } of segmentsOf(file, signal)) {
      signal.throwIfAborted();
      for (const segment of segments) {
        const words = await recognise(stt, assistant, { talk, narrow, signal }, segment);
        yield* writer.add(words);
      }
      heardMs = atMs;
      if (heardMs - told < PROGRESS_EVERY_MS) continue;
      told = heardMs;
      yield {
        kind: 'progress',
        heardMs: Math.round(heardMs),
        ofMs: share > 0 ? Math.round(heardMs / share) : null,
      };
    }
    yield* writer.end();
    const tookMs = Math.round(performance.now() - startMs);
    const transcript = {
      assistant: assistant.name,
      engine: stt.name,
      ...writer.whole(),
      durationMs: Math.round(heardMs),
      tookMs,
    };
    yield { kind: 'done', transcript };
  } finally {
    stt.forget(talk);
  }
}

async function* segmentsOf(
  file: string,
  signal: AbortSignal,
): AsyncIterable<{ segments: SoundSegment[]; atMs: number; share: number; narrow: boolean }> {
  const segmenter = new Segmenter();
  let count = 0;
  let narrow = false;
  const hear = (floats: Float32Array) => {
    count += floats.length;
    return segmenter.hear(floats);
  };
  for await (const piece of decodedSound(file, signal)) {
    narrow = piece.narrow;
    const segments = hear(piece.samples);
    yield { segments, atMs: msOfSamples(count, HOUSE_RATE_HZ), share: piece.share, narrow };
  }
  const last = segmenter.end();
  yield { segments: last ? [last] : [], atMs: msOfSamples(count, HOUSE_RATE_HZ), share: 1, narrow };
}

async function recognise(
  stt: SttEngine,
  { plan, profile, file }: Assistant,
  asked: Pick<SttRequest, 'talk' | 'narrow' | 'signal'>,
  { fromSample, samples }: SoundSegment,
): Promise<HeardWord[]> {
  const stay = file.stay ?? null;
  const stream = stt.open({ language: plan.language, profile, recorded: true, stay, ...asked });
  for (let at = 0; at < samples.length; at += PIECE_SAMPLES)
    stream.push(samples.subarray(at, at + PIECE_SAMPLES));
  stream.finish();
  const fromMs = msOfSamples(fromSample, HOUSE_RATE_HZ);
  let words: HeardWord[] = [];
  for await (const event of stream.events) if (event.kind === 'final') words = event.words;
  return words.map((word) => ({ ...word, fromMs: word.fromMs + fromMs, toMs: word.toMs + fromMs }));
}

/** Joins what was recognised into utterances, in their written form. */
class Writer {
  private waiting: HeardWord[] = [];
  private readonly segments: TranscribedSegment[] = [];

  constructor(private readonly assistant: Assistant) {}

  *add(words: readonly HeardWord[]): Iterable<TranscriptionEvent> {
    const last = this.waiting.at(-1);
    const next = words[0];
    if (last && next && next.fromMs - last.toMs >= SENTENCE_PAUSE_MS) yield* this.end();
    this.waiting.push(...words);
  }

  *end(): Iterable<TranscriptionEvent> {
    const heard = this.waiting;
    this.waiting = [];
    if (heard.length === 0) return;
    const { plan } = this.assistant;
    const words = plan.written ? writtenWords(plan, heard, true, true) : heard;
    const text = (all: readonly HeardWord[]) => all.map(({ word }) => word).join(' ');
    const segment = {
      fromMs: heard[0]!.fromMs,
      toMs: heard.at(-1)!.toMs,
      text: text(words),
      spoken: text(heard),
      words: [...words],
    };
    this.segments.push(segment);
    yield { kind: 'segment', segment };
  }

  whole(): { text: string; spoken: string; segments: TranscribedSegment[] } {
    const { segments } = this;
    return {
      text: segments.map(({ text }) => text).join(' '),
      spoken: segments.map(({ spoken }) => spoken).join(' '),
      segments,
    };
  }
}
