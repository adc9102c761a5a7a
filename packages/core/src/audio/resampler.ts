/**
 * Polyphase windowed-sinc resampling of a stream, any rate to any rate.
 * Output sample k stands exactly for input time k * from / to: nothing is shifted, the ends are padded with silence.
 */

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

export class Resampler {
  private readonly up: number;
  private readonly down: number;
  private readonly phases: number;
  private readonly half: number;
  private readonly table: Float32Array[];
  /** Input that still matters; `kept[0]` is input sample `keptFrom`. */
  private kept: Float32Array;
  private keptFrom: number;
  private received = 0;
  private produced = 0;

  constructor(
    readonly fromHz: number,
    readonly toHz: number,
  ) {
    const divisor = gcd(fromHz, toHz);
    this.up = toHz / divisor;
    this.down = fromHz / divisor;
    this.phases = Math.min(this.up, MOST_PHASES);
    const cutoff = Math.min(1, toHz / fromHz) * PASS_SHARE;
    this.half = Math.ceil(ZERO_CROSSINGS / cutoff);
    this.table = Array.from({ length: this.phases + 1 }, (_, phase) =>
      this.taps(phase / this.phases, cutoff),
    );
    this.kept = new Float32Array(this.half);
    this.keptFrom = -this.half;
  }

  /** The filter for an output that lies `fraction` of a sample after an input sample. */
  private taps(fraction: number, cutoff: number): Float32Array {
    const taps = new Float32Array(2 * this.half);
    let sum = 0;
    for (let i = 0; i < taps.length; i++) {
      const x = i - this.half + 1 - fraction;
      const inside = 1 - (x / this.half) ** 2;
      const window = inside <= 0 ? 0 : bessel0(KAISER_BETA * Math.sqrt(inside)) / bessel0(KAISER_BETA);
      const angle = Math.PI * cutoff * x;
      taps[i] = (x === 0 ? 1 : Math.sin(angle) / angle) * window;
      sum += taps[i]!;
    }
    return taps.map((tap) => tap / sum);
  }

  /** Takes input samples, gives the output samples that can be computed by now. */
  push(input: Float32Array): Float32Array {
    if (this.up === this.down) return input;
    this.received += input.length;
    this.keep(input);
    return this.produce(this.received - this.half);
  }

  /** Gives the rest: after it the output is as long as the input, rounded up. */
  flush(): Float32Array {
    if (this.up === this.down) return new Float32Array(0);
    this.keep(new Float32Array(this.half + 1));
    return this.produce(this.received);
  }

  private keep(input: Float32Array): void {
    const first = Math.floor((this.produced * this.down) / this.up) - this.half + 1;
    const drop = Math.max(0, Math.min(this.kept.length, first - this.keptFrom));
    const joined = new Float32Array(this.kept.length - drop + input.length);
    joined.set(this.kept.subarray(drop));
    joined.set(input, this.kept.length - drop);
    this.kept = joined;
    this.keptFrom += drop;
  }

  /** All outputs whose input time is before `limit`. */
  private produce(limit: number): Float32Array {
    const count = Math.max(0, Math.ceil((limit * this.up) / this.down) - this.produced);
    const out = new Float32Array(count);
    for (let k = 0; k < count; k++) out[k] = this.at((this.produced + k) * this.down);
    this.produced += count;
    return out;
  }

  private at(numerator: number): number {
    const base = Math.floor(numerator / this.up);
    const phase = ((numerator - base * this.up) * this.phases) / this.up;
    const low = Math.floor(phase);
    const start = base - this.half + 1 - this.keptFrom;
    const value = this.dot(this.table[low]!, start);
    return phase === low ? value : value + (phase - low) * (this.dot(this.table[low + 1]!, start) - value);
  }

  private dot(taps: Float32Array, start: number): number {
    const { kept } = this;
    const to = Math.min(taps.length, kept.length - start);
    let sum = 0;
    for (let i = Math.max(0, -start); i < to; i++) sum += taps[i]! * kept[start + i]!;
    return sum;
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
