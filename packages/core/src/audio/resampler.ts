/**
 * Polyphase windowed-sinc resampling of a stream, any rate to any rate.
 * Output sample k stands exactly for input time k * from / to: nothing is shifted, the ends are padded with
 * silence.
 */
import { filtersOf, type Filters } from './filters.js';

/** Zero crossings of the sinc on each side; 16 with this window keeps images about 80 dB down. */
const ZERO_CROSSINGS = 16;
/** Kaiser window shape; 8 is about 80 dB of stop band (Kaiser 1974). */
const KAISER_BETA = 8;
/** The pass band ends here, as a share of the lower Nyquist frequency. */
const PASS_SHARE = 0.92;
/** More phases than this are not tabled but taken between two neighbours. */
const MOST_PHASES = 1024;

function gcd(a: number, b: number): number {
  return b === 0 ? a : gcd(b, a % b);
}

/** Modified Bessel function of order 0 (power series, Abramowitz & Stegun 9.6.10). */
function bessel0(x: number): number {
  let sum = 1;
  let term = 1;
  for (let k = 1; term > sum * 1e-12; k++) {
    term *= (x / (2 * k)) ** 2;
    sum += term;
  }
  return sum;
}

const WINDOW_STEPS = 4096;
/** Made with the first filter. */
let kaiser: Float64Array | null = null;

/**
 * The Kaiser window from its middle (0) to its edge (WINDOW_STEPS); between two steps it is taken as straight
 * (off by -140 dB).
 */
function kaiserWindow(): Float64Array {
  const middle = bessel0(KAISER_BETA);
  return Float64Array.from(
    { length: WINDOW_STEPS + 1 },
    (_, i) => bessel0(KAISER_BETA * Math.sqrt(1 - (i / WINDOW_STEPS) ** 2)) / middle,
  );
}

/** @param place 0 in the middle, 1 at the edge and beyond */
function windowAt(place: number): number {
  if (place >= 1) return 0;
  kaiser ??= kaiserWindow();
  const at = Math.floor(place * WINDOW_STEPS);
  return kaiser[at]! + (place * WINDOW_STEPS - at) * (kaiser[at + 1]! - kaiser[at]!);
}

/**
 * From one rate to another: `up` samples come out for each `down` that go in, by filters that reach `half`
 * samples to each side.
 */
interface Change {
  up: number;
  down: number;
  half: number;
  filters: Filters;
}

/** So many are kept, those that were used last: lines say their rates themselves. */
const MOST_CHANGES = 16;
const changes = new Map<string, Change>();

function changeOf(fromHz: number, toHz: number): Change {
  const name = `${fromHz} ${toHz}`;
  const change = changes.get(name) ?? newChange(fromHz, toHz);
  changes.delete(name);
  changes.set(name, change);
  if (changes.size > MOST_CHANGES) changes.delete(changes.keys().next().value!);
  return change;
}

function newChange(fromHz: number, toHz: number): Change {
  const divisor = gcd(fromHz, toHz);
  const [up, down] = [toHz / divisor, fromHz / divisor];
  const phases = Math.min(up, MOST_PHASES);
  const cutoff = Math.min(1, toHz / fromHz) * PASS_SHARE;
  const half = Math.ceil(ZERO_CROSSINGS / cutoff);
  const table = Array.from({ length: phases + 1 }, (_, phase) => tapsOf(phase / phases, cutoff, half));
  return { up, down, half, filters: filtersOf(table, up, down) };
}

/** The filter for an output that lies `fraction` of a sample after an input sample. */
function tapsOf(fraction: number, cutoff: number, half: number): Float32Array {
  const taps = new Float32Array(2 * half);
  let sum = 0;
  for (let i = 0; i < taps.length; i++) {
    const x = i - half + 1 - fraction;
    const angle = Math.PI * cutoff * x;
    taps[i] = (x === 0 ? 1 : Math.sin(angle) / angle) * windowAt(Math.abs(x / half));
    sum += taps[i]!;
  }
  return taps.map((tap) => tap / sum);
}

export class Resampler {
  private readonly change: Change | null;
  /** Input that still matters; `kept[0]` is input sample `keptFrom`. */
  private kept: Float32Array;
  private keptFrom: number;
  private received = 0;
  private produced = 0;

  constructor(
    readonly fromHz: number,
    readonly toHz: number,
  ) {
    this.change = fromHz === toHz ? null : changeOf(fromHz, toHz);
    const half = this.change?.half ?? 0;
    this.kept = new Float32Array(half);
    this.keptFrom = -half;
  }

  /** Takes input samples, gives the output samples that can be computed by now. */
  push(input: Float32Array): Float32Array {
    const { change } = this;
    if (!change) return input;
    this.received += input.length;
    this.keep(change, input);
    return this.produce(change, this.received - change.half);
  }

  /** Gives the rest: after it the output is as long as the input, rounded up. */
  flush(): Float32Array {
    const { change } = this;
    if (!change) return new Float32Array(0);
    this.keep(change, new Float32Array(change.half + 1));
    return this.produce(change, this.received);
  }

  private keep({ up, down, half }: Change, input: Float32Array): void {
    const first = Math.floor((this.produced * down) / up) - half + 1;
    const drop = Math.max(0, Math.min(this.kept.length, first - this.keptFrom));
    const joined = new Float32Array(this.kept.length - drop + input.length);
    joined.set(this.kept.subarray(drop));
    joined.set(input, this.kept.length - drop);
    this.kept = joined;
    this.keptFrom += drop;
  }

  /** All outputs whose input time is before `limit`; half a filter more is kept of the input. */
  private produce({ up, down, half, filters }: Change, limit: number): Float32Array {
    const count = Math.max(0, Math.ceil((limit * up) / down) - this.produced);
    const out = new Float32Array(count);
    for (let done = 0; done < count;) {
      const some = Math.min(count - done, filters.most);
      const base = Math.floor((this.produced * down) / up);
      const past = this.produced * down - base * up;
      out.set(filters.run(this.kept, base - half + 1 - this.keptFrom, past, some), done);
      done += some;
      this.produced += some;
    }
    return out;
  }
}

/** A whole sound at another rate. */
export function resample(samples: Float32Array, fromHz: number, toHz: number): Float32Array {
  if (fromHz === toHz) return samples;
  const resampler = new Resampler(fromHz, toHz);
  const head = resampler.push(samples);
  const tail = resampler.flush();
  const out = new Float32Array(head.length + tail.length);
  out.set(head);
  out.set(tail, head.length);
  return out;
}
