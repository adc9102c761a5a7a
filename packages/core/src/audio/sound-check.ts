/** Does the microphone hear the loudspeaker? A known sound is looked for in what was captured. */
import { levelDb, SILENCE_DB } from './levels.js';

/** At this rate the tone is looked for: it is enough for it, and quick. */
export const ECHO_LOOK_HZ = 8_000;
/** Sweep from low to high, in Hz and ms: short, and like nothing that people say. */
const SWEEP_FROM_HZ = 500;
const SWEEP_TO_HZ = 3_500;
const SWEEP_MS = 250;
const SWEEP_PEAK = 0.4;
/** A likeness below this is chance (over half a second of looking). */
const LEAST_LIKENESS = 0.25;

export interface Echo {
  /** From its playing to its coming back, in ms. */
  delayMs: number;
  /** How loud it came back, against how it was played, in dB. */
  levelDb: number;
}

/** The test sound, with soft ends. */
export function testSweep(rateHz: number): Float32Array {
  const count = Math.round((SWEEP_MS * rateHz) / 1000);
  const edge = count / 10;
  return Float32Array.from({ length: count }, (_, i) => {
    const t = i / rateHz;
    const slope = ((SWEEP_TO_HZ - SWEEP_FROM_HZ) * 1000) / SWEEP_MS;
    const soft = Math.min(1, i / edge, (count - i) / edge);
    return SWEEP_PEAK * soft * Math.sin(2 * Math.PI * (SWEEP_FROM_HZ * t + (slope * t * t) / 2));
  });
}

/**
 * @param captured from the moment of playing on, at the rate of `played`
 * @returns null when nothing like it came back
 */
export function findEcho(played: Float32Array, captured: Float32Array, rateHz: number): Echo | null {
  const energy = played.reduce((sum, one) => sum + one * one, 0);
  let heard = captured.subarray(0, played.length).reduce((sum, one) => sum + one * one, 0);
  let best = { likeness: 0, at: 0, dot: 0 };
  for (let at = 0; at + played.length <= captured.length; at++) {
    let dot = 0;
    for (let i = 0; i < played.length; i++) dot += played[i]! * captured[at + i]!;
    const likeness = heard <= 1e-9 ? 0 : Math.abs(dot) / Math.sqrt(energy * heard);
    if (likeness > best.likeness) best = { likeness, at, dot: Math.abs(dot) };
    heard += (captured[at + played.length] ?? 0) ** 2 - captured[at]! ** 2;
  }
  if (best.likeness < LEAST_LIKENESS || levelDb(captured) <= SILENCE_DB) return null;
  return { delayMs: (best.at * 1000) / rateHz, levelDb: 20 * Math.log10(best.dot / energy) };
}
