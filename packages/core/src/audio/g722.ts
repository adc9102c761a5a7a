/**
 * G.722 at 64 kbit/s (ITU-T G.722, 1988): sound of 16 kHz, one byte for two samples. Two mirror filters part
 * it at 4 kHz; of each half only the difference to what is foretold is sent, in steps that follow how large
 * differences were.
 */

/** One half of the mirror filters (table 11); the other one is it from behind. */
const MIRROR = Int32Array.of(3, -11, 12, 32, -210, 951, 3876, -805, 362, -156, 53, -11);
/** Samples that they see of the past, besides two new ones. */
const PAST = 2 * MIRROR.length - 2;

/** From where on a difference of the lower band has the next code, in 1/4096 of the step (table 14). */
const LOW_EDGES = [
  35, 72, 110, 150, 190, 233, 276, 323, 370, 422, 473, 530, 587, 650, 714, 786, 858, 940, 1023, 1121, 1219,
  1339, 1458, 1612, 1765, 1980, 2195, 2557, 2919,
];
/** The same for the upper band, which has but one. */
const HIGH_EDGE = 564;
/**
 * What a code of the lower band stands for, in 1/32768 of the step: all six bits, and the four that steps and
 * forecasts go by.
 */
const LOW_VALUES = [
  -136, -136, -136, -136, -24808, -21904, -19008, -16704, -14984, -13512, -12280, -11192, -10232, -9360,
  -8576, -7856, -7192, -6576, -6000, -5456, -4944, -4464, -4008, -3576, -3168, -2776, -2400, -2032, -1688,
  -1360, -1040, -728, 24808, 21904, 19008, 16704, 14984, 13512, 12280, 11192, 10232, 9360, 8576, 7856, 7192,
  6576, 6000, 5456, 4944, 4464, 4008, 3576, 3168, 2776, 2400, 2032, 1688, 1360, 1040, 728, 432, 136, -432,
  -136,
];
const LOW_ROUGH = [
  0, -20456, -12896, -8968, -6288, -4240, -2584, -1200, 20456, 12896, 8968, 6288, 4240, 2584, 1200, 0,
];
const HIGH_VALUES = [-7408, -1616, 7408, 1616];
/** How the logarithm of the step goes on after a code. */
const LOW_STEPS = [-60, 3042, 1198, 538, 334, 172, 58, -30, 3042, 1198, 538, 334, 172, 58, -30, -60];
const HIGH_STEPS = [798, -214, 798, -214];
/** About 2048 times the powers of two by 32nds. */
const POWERS = [
  2048, 2093, 2139, 2186, 2233, 2282, 2332, 2383, 2435, 2489, 2543, 2599, 2656, 2714, 2774, 2834, 2896, 2960,
  3025, 3091, 3158, 3228, 3298, 3371, 3444, 3520, 3597, 3676, 3756, 3838, 3922, 4008,
];

const within = (value: number, least: number, most: number) =>
  value < least ? least : value > most ? most : value;
const limited = (value: number) => within(value, -32_768, 32_767);
/** Of one band: half of that. */
const halved = (value: number) => within(value, -16_384, 16_383);
const sameSign = (a: number, b: number) => a >> 31 === b >> 31;

/** What both ends know of one band (figure 10): its step and its forecast, of two poles and six zeros. */
class Band {
  forecast = 0;
  /** The last six, the newest first. */
  private readonly differences = new Int32Array(6);
  private readonly zeros = new Int32Array(6);
  /** What was made of the last two, and of their zeros' part; and the poles. */
  private made = 0;
  private madeBefore = 0;
  private partly = 0;
  private partlyBefore = 0;
  private firstPole = 0;
  private secondPole = 0;
  private byZeros = 0;
  private logStep = 0;

  /** @param mostLog of the step @param shift of the least step */
  constructor(
    public step: number,
    private readonly mostLog: number,
    private readonly shift: number,
  ) {}

  /** After a difference, of which the step is told to go on by so much. */
  follow(difference: number, stepBy: number): void {
    this.logStep = within(((this.logStep * 127) >> 7) + stepBy, 0, this.mostLog);
    const power = POWERS[(this.logStep >> 6) & 31]!;
    const down = this.shift - (this.logStep >> 11);
    this.step = (down < 0 ? power << -down : power >> down) << 2;
    const made = limited(this.forecast + difference);
    this.followPoles(limited(this.byZeros + difference));
    this.byZeros = this.followZeros(difference);
    this.madeBefore = this.made;
    this.made = made;
    const byPoles =
      ((this.firstPole * limited(2 * made)) >> 15) + ((this.secondPole * limited(2 * this.madeBefore)) >> 15);
    this.forecast = limited(limited(byPoles) + this.byZeros);
  }

  private followPoles(partly: number): void {
    const goesOn = sameSign(partly, this.partly);
    const pull = limited(4 * this.firstPole);
    const towards = goesOn ? limited(-pull) : pull;
    const next =
      (sameSign(partly, this.partlyBefore) ? 128 : -128) +
      (towards >> 7) +
      ((this.secondPole * 32_512) >> 15);
    this.secondPole = within(next, -12_288, 12_288);
    const most = limited(15_360 - this.secondPole);
    const turned = limited((goesOn ? 192 : -192) + ((this.firstPole * 32_640) >> 15));
    this.firstPole = within(turned, -most, most);
    this.partlyBefore = this.partly;
    this.partly = partly;
  }

  /** @returns their part of the forecast */
  private followZeros(difference: number): number {
    const { zeros, differences } = this;
    const pull = difference === 0 ? 0 : 128;
    let sum = 0;
    for (let i = 5; i >= 0; i--) {
      const towards = sameSign(differences[i]!, difference) ? pull : -pull;
      const zero = limited(towards + ((zeros[i]! * 32_640) >> 15));
      const before = i === 0 ? difference : differences[i - 1]!;
      zeros[i] = zero;
      differences[i] = before;
      sum += (zero * limited(2 * before)) >> 15;
    }
    return limited(sum);
  }
}

/** Both bands, and what the mirror filters saw last. */
class Bands {
  protected readonly low = new Band(32, 18_432, 8);
  protected readonly high = new Band(8, 22_528, 10);
  private past = new Int32Array(PAST);

  /** For what the filters see: the past, and room for so much more. It is the past of the next one. */
  protected goOn(count: number): Int32Array {
    const seen = new Int32Array(PAST + count);
    seen.set(this.past.subarray(this.past.length - PAST));
    return (this.past = seen);
  }

  protected follow(low: number, high: number): void {
    const rough = low >> 2;
    this.low.follow((this.low.step * LOW_ROUGH[rough]!) >> 15, LOW_STEPS[rough]!);
    this.high.follow((this.high.step * HIGH_VALUES[high]!) >> 15, HIGH_STEPS[high]!);
  }
}

export class G722Encoder extends Bands {
  /** @param samples at 16 kHz, an even number of them */
  encode(samples: Int16Array): Uint8Array {
    const out = new Uint8Array(samples.length >> 1);
    const seen = this.goOn(2 * out.length);
    seen.set(samples.subarray(0, 2 * out.length), PAST);
    for (let i = 0; i < out.length; i++) {
      const even = evenSum(seen, 2 * i);
      const odd = oddSum(seen, 2 * i);
      const low = lowCode(limited(((odd + even) >> 14) - this.low.forecast), this.low.step);
      const high = highCode(limited(((odd - even) >> 14) - this.high.forecast), this.high.step);
      this.follow(low, high);
      out[i] = (high << 6) | low;
    }
    return out;
  }
}

export class G722Decoder extends Bands {
  /** @returns samples at 16 kHz, two for each byte */
  decode(bytes: Uint8Array): Int16Array {
    const out = new Int16Array(bytes.length * 2);
    const seen = this.goOn(out.length);
    for (let i = 0; i < bytes.length; i++) {
      const low = bytes[i]! & 63;
      const high = bytes[i]! >> 6;
      const lower = halved(this.low.forecast + ((this.low.step * LOW_VALUES[low]!) >> 15));
      const upper = halved(this.high.forecast + ((this.high.step * HIGH_VALUES[high]!) >> 15));
      this.follow(low, high);
      seen[PAST + 2 * i] = lower + upper;
      seen[PAST + 2 * i + 1] = lower - upper;
      out[2 * i] = limited(oddSum(seen, 2 * i) >> 11);
      out[2 * i + 1] = limited(evenSum(seen, 2 * i) >> 11);
    }
    return out;
  }
}

function evenSum(seen: Int32Array, at: number): number {
  let sum = 0;
  for (let i = 0; i < MIRROR.length; i++) sum = (sum + seen[at + 2 * i]! * MIRROR[i]!) | 0;
  return sum;
}

function oddSum(seen: Int32Array, at: number): number {
  let sum = 0;
  for (let i = 0; i < MIRROR.length; i++) sum = (sum + seen[at + PAST + 1 - 2 * i]! * MIRROR[i]!) | 0;
  return sum;
}

/** Codes grow with the difference from 61 (and 63 for the least below zero), downwards. */
function lowCode(difference: number, step: number): number {
  const size = difference < 0 ? -(difference + 1) : difference;
  let i = 0;
  let most = LOW_EDGES.length;
  while (i < most) {
    const middle = (i + most) >> 1;
    if (size >= (LOW_EDGES[middle]! * step) >> 12) i = middle + 1;
    else most = middle;
  }
  if (difference >= 0) return 61 - i;
  return i < 2 ? 63 - i : 33 - i;
}

function highCode(difference: number, step: number): number {
  const size = difference < 0 ? -(difference + 1) : difference;
  const isLarge = size >= (HIGH_EDGE * step) >> 12;
  if (difference < 0) return isLarge ? 0 : 1;
  return isLarge ? 2 : 3;
}
