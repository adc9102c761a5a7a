/** How loud sound is: levels in dBFS (0 is a full-scale square wave; silence is -120). */

/** What we call silence, in dBFS. */
export const SILENCE_DB = -120;

/** Power (mean square) to dBFS. */
export function powerToDb(power: number): number {
  return power <= 1e-12 ? SILENCE_DB : 10 * Math.log10(power);
}

/** Root mean square level of a piece of sound, in dBFS. */
export function levelDb(samples: Float32Array): number {
  if (samples.length === 0) return SILENCE_DB;
  let sum = 0;
  for (const sample of samples) sum += sample * sample;
  return powerToDb(sum / samples.length);
}

/** How much a ducked voice is quieter: 20 dB. */
export const DUCKED_GAIN = 0.1;

export interface Edges {
  /** First sample that is audible, and the one after the last. */
  from: number;
  to: number;
}

/** Where sound is above `floorDb` (in steps of 5 ms), or null when it never is. */
export function audibleEdges(samples: Float32Array, rateHz: number, floorDb = -50): Edges | null {
  const step = Math.max(1, Math.round(rateHz / 200));
  let from = -1;
  let to = -1;
  for (let at = 0; at < samples.length; at += step) {
    if (levelDb(samples.subarray(at, at + step)) <= floorDb) continue;
    if (from < 0) from = at;
    to = Math.min(samples.length, at + step);
  }
  return from < 0 ? null : { from, to };
}
