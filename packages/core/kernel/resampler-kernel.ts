/**
 * The resampler's arithmetic, in AssemblyScript: four taps at a time. `npm run kernel` makes
 * `src/audio/resampler-kernel-code.ts` of it. Its memory is made by whoever uses it: the filter's phases lie
 * there one after the other, then the sound.
 */

/** One output: a filter laid over the input. @param taps a multiple of four */
function dot(filter: usize, input: usize, taps: i32): f32 {
  let sum = f32x4.splat(0);
  for (let i: usize = 0; i < <usize>taps * 4; i += 16)
    sum = f32x4.add(sum, f32x4.mul(v128.load(filter + i), v128.load(input + i)));
  return (
    f32x4.extract_lane(sum, 0) +
    f32x4.extract_lane(sum, 1) +
    f32x4.extract_lane(sum, 2) +
    f32x4.extract_lane(sum, 3)
  );
}

/**
 * @param table `phases + 1` filters of so many taps
 * @param up output samples for each `down` input samples
 * @param past the first output lies so many parts, of `up`, of a sample after the input's first place
 * @param input where the filter of the first output begins
 * @param output as many samples as `count` says
 */
export function resample(
  table: usize,
  phases: i32,
  taps: i32,
  up: i32,
  down: i32,
  past: i32,
  input: usize,
  output: usize,
  count: i32,
): void {
  const size = <usize>taps * 4;
  for (let k = 0; k < count; k++) {
    // More phases than are tabled are taken between two neighbours.
    const phase = (<f64>past * phases) / up;
    const low = <i32>phase;
    const filter = table + <usize>low * size;
    let value = dot(filter, input, taps);
    const rest = <f32>(phase - low);
    if (rest > 0) value += rest * (dot(filter + size, input, taps) - value);
    store<f32>(output + 4 * <usize>k, value);
    past += down;
    const whole = past / up;
    input += <usize>whole * 4;
    past -= whole * up;
  }
}
