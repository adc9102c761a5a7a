/** A text said aloud by an assistant's voice, phrase by phrase, as one sound. */
import { HOUSE_RATE_HZ, joinPcm16, pauseAfter, samplesOfMs, spokenPhrases } from '@verbalon/core';
import type { TtsEngine, TtsRequest } from '@verbalon/engines';
import { ProblemError } from '../problems/problems.js';

export interface Aloud {
  /** At HOUSE_RATE_HZ. */
  samples: Int16Array;
  firstSoundMs: number;
  tookMs: number;
}

/** @throws ProblemError `text-unspeakable`, EngineFault */
export async function aloud(
  text: string,
  language: string,
  { voice, stay, signal }: Pick<TtsRequest, 'voice' | 'stay' | 'signal'>,
  tts: TtsEngine,
): Promise<Aloud> {
  const startMs = performance.now();
  const spoken = spokenPhrases(text);
  if (spoken.length === 0)
    throw new ProblemError('text-unspeakable', `it is ${JSON.stringify(text.slice(0, 40))}`);
  const parts: Int16Array[] = [];
  let firstSoundMs: number | null = null;
  for (const [i, phrase] of spoken.entries()) {
    for await (const { samples } of tts.speak({ text: phrase, language, voice, stay, alone: true, signal })) {
      firstSoundMs ??= performance.now() - startMs;
      parts.push(samples);
    }
    if (i < spoken.length - 1) parts.push(new Int16Array(samplesOfMs(pauseAfter(phrase), HOUSE_RATE_HZ)));
  }
  return { samples: joinPcm16(parts), firstSoundMs: firstSoundMs ?? 0, tookMs: performance.now() - startMs };
}
