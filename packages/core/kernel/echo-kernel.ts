/**
 * The echo canceller's arithmetic, in AssemblyScript: what is done for each bin of each partition, four bins
 * at a time.
 * `npm run kernel` makes `src/hearing/echo-kernel-code.ts` of it. There is one memory for each canceller, and
 * nothing is ever allocated in it: everything has its place. A spectrum is 260 real parts, then 260 imaginary
 * ones (257 and three zeros), as floats.
 */

/** An echo of at most so many partitions of two frames each. */
export const PARTS: i32 = 24;
/** So many frames of our own sound are kept. */
export const KEPT: i32 = 2 * PARTS;
/** Real or imaginary parts of a spectrum, in bytes; and both. */
export const HALF: usize = 260 * 4;
const WIDTH: usize = 2 * HALF;
const BINS: f32 = 257;

/** Where things are. Of our own sound the spectra and their powers, frame by frame, in a ring. */
export const OWN: usize = 1024;
const POWERS: usize = OWN + <usize>KEPT * WIDTH;
/** The filter in use and the one that learns: a spectrum for each partition. */
export const USED: usize = POWERS + <usize>KEPT * HALF;
export const LEARNER: usize = USED + <usize>PARTS * WIDTH;
/** What comes back in a frame by either, and by how much the learner was wrong. */
export const USED_ECHO: usize = LEARNER + <usize>PARTS * WIDTH;
export const LEARNER_ECHO: usize = USED_ECHO + WIDTH;
export const WRONG: usize = LEARNER_ECHO + WIDTH;
const POWER: usize = WRONG + WIDTH;
/** How large each partition of the learner is, squared; and how much of the learning it gets. */
const SIZES: usize = POWER + HALF;
const SHARES: usize = SIZES + <usize>PARTS * 4;

/** The frame that stands for partition `p` when the newest is at `newest` of the ring. */
function frameFor(newest: i32, p: i32): usize {
  return <usize>((newest - 2 * p + KEPT) % KEPT);
}

/** To be called when the newest frame's spectrum is in its place. */
export function measure(newest: i32): void {
  const from = OWN + <usize>newest * WIDTH;
  const to = POWERS + <usize>newest * HALF;
  for (let i: usize = 0; i < HALF; i += 16) {
    const re = v128.load(from + i);
    const im = v128.load(from + i, HALF);
    v128.store(to + i, f32x4.add(f32x4.mul(re, re), f32x4.mul(im, im)));
  }
}

/** Puts into `echo` what comes back of our own sound by `filter`. */
export function predict(filter: usize, echo: usize, newest: i32): void {
  for (let i: usize = 0; i < HALF; i += 16) {
    let re = f32x4.splat(0);
    let im = f32x4.splat(0);
    for (let p = 0; p < PARTS; p++) {
      const a = filter + <usize>p * WIDTH + i;
      const b = OWN + frameFor(newest, p) * WIDTH + i;
      const ar = v128.load(a);
      const ai = v128.load(a, HALF);
      const br = v128.load(b);
      const bi = v128.load(b, HALF);
      re = f32x4.add(re, f32x4.sub(f32x4.mul(ar, br), f32x4.mul(ai, bi)));
      im = f32x4.add(im, f32x4.add(f32x4.mul(ar, bi), f32x4.mul(ai, br)));
    }
    v128.store(echo + i, re);
    v128.store(echo + i, im, HALF);
  }
}

/**
 * Partitions in which something comes back learn faster, and the others stay quiet: so much is shared out
 * equally.
 */
function shareOut(equally: f32): void {
  let sum: f32 = 0;
  for (let p: usize = 0; p < <usize>PARTS; p++) sum += sqrt(load<f32>(SIZES + 4 * p));
  for (let p: usize = 0; p < <usize>PARTS; p++) {
    const share: f32 = sum > 0 ? (<f32>PARTS * sqrt(load<f32>(SIZES + 4 * p))) / sum : 1;
    store<f32>(SHARES + 4 * p, equally + (1 - equally) * share);
  }
}

/** The power of each bin over all partitions, each by its share. @returns the mean of the bins */
function weigh(newest: i32): f32 {
  let sum = f32x4.splat(0);
  for (let i: usize = 0; i < HALF; i += 16) {
    let power = f32x4.splat(0);
    for (let p = 0; p < PARTS; p++) {
      const share = v128.load32_splat(SHARES + 4 * <usize>p);
      power = f32x4.add(power, f32x4.mul(share, v128.load(POWERS + frameFor(newest, p) * HALF + i)));
    }
    v128.store(POWER + i, power);
    sum = f32x4.add(sum, power);
  }
  return (
    (f32x4.extract_lane(sum, 0) +
      f32x4.extract_lane(sum, 1) +
      f32x4.extract_lane(sum, 2) +
      f32x4.extract_lane(sum, 3)) /
    BINS
  );
}

/**
 * Lets the learner learn from what is at WRONG.
 * @param step the share of the error that one frame takes away
 * @param leastPower own sound below it in a bin teaches nothing
 * @param leakage nor does what leaks from other bins, as a share of their mean
 * @param equally so much of the learning is shared out equally among the partitions
 */
export function learn(newest: i32, step: f32, leastPower: f32, leakage: f32, equally: f32): void {
  shareOut(equally);
  const least = f32x4.splat(leastPower + leakage * weigh(newest));
  for (let i: usize = 0; i < HALF; i += 16) {
    const scale = f32x4.div(f32x4.splat(step), f32x4.add(v128.load(POWER + i), least));
    v128.store(WRONG + i, f32x4.mul(scale, v128.load(WRONG + i)));
    v128.store(WRONG + i, f32x4.mul(scale, v128.load(WRONG + i, HALF)), HALF);
  }
  for (let p = 0; p < PARTS; p++) {
    const share = v128.load32_splat(SHARES + 4 * <usize>p);
    const a = LEARNER + <usize>p * WIDTH;
    const b = OWN + frameFor(newest, p) * WIDTH;
    let size = f32x4.splat(0);
    for (let i: usize = 0; i < HALF; i += 16) {
      const wr = f32x4.mul(share, v128.load(WRONG + i));
      const wi = f32x4.mul(share, v128.load(WRONG + i, HALF));
      const br = v128.load(b + i);
      const bi = v128.load(b + i, HALF);
      const re = f32x4.add(v128.load(a + i), f32x4.add(f32x4.mul(br, wr), f32x4.mul(bi, wi)));
      const im = f32x4.add(v128.load(a + i, HALF), f32x4.sub(f32x4.mul(br, wi), f32x4.mul(bi, wr)));
      v128.store(a + i, re);
      v128.store(a + i, im, HALF);
      size = f32x4.add(size, f32x4.add(f32x4.mul(re, re), f32x4.mul(im, im)));
    }
    store<f32>(
      SIZES + 4 * <usize>p,
      f32x4.extract_lane(size, 0) +
        f32x4.extract_lane(size, 1) +
        f32x4.extract_lane(size, 2) +
        f32x4.extract_lane(size, 3),
    );
  }
}
