/**
 * The filters that change one rate to another, and their arithmetic: by a kernel (packages/core/kernel), or
 * in JavaScript. Resamplers of the same rates share them, as nothing of theirs stays in them.
 */
import { kernel, kernelMemory, runs } from './kernel.js';
import { RESAMPLER_KERNEL_CODE } from './resampler-kernel-code.js';

type Resample = (
  table: number,
  phases: number,
  taps: number,
  up: number,
  down: number,
  past: number,
  input: number,
  output: number,
  count: number,
) => void;

/** At most so many samples come out at once, and go in beside those that the filter reaches. */
const MOST_SAMPLES = 4_096;

export interface Filters {
  /** At most so many samples come out at once. */
  readonly most: number;
  /**
   * @param input of which the first output's filter begins at `start`
   * @param past the first output lies so many parts, of `up`, of a sample after the input's first place
   * @param count of outputs, at most `most`
   * @returns what may be overwritten by the next call
   */
  run(input: Float32Array, start: number, past: number, count: number): Float32Array;
}

/** @param phases filters of equal length; the last one is the first again, a sample later */
export function filtersOf(phases: readonly Float32Array[], up: number, down: number): Filters {
  return runs(RESAMPLER_KERNEL_CODE)
    ? new KernelFilters(phases, up, down)
    : new PlainFilters(phases, up, down);
}

/** The same in JavaScript. */
export class PlainFilters implements Filters {
  readonly most = Infinity;

  constructor(
    private readonly phases: readonly Float32Array[],
    private readonly up: number,
    private readonly down: number,
  ) {}

  run(input: Float32Array, start: number, past: number, count: number): Float32Array {
    const { phases, up, down } = this;
    const out = new Float32Array(count);
    for (let k = 0; k < count; k++) {
      const parts = past + k * down;
      const from = start + Math.floor(parts / up);
      const phase = ((parts % up) * (phases.length - 1)) / up;
      const low = Math.floor(phase);
      const value = dot(phases[low]!, input, from);
      out[k] = phase === low ? value : value + (phase - low) * (dot(phases[low + 1]!, input, from) - value);
    }
    return out;
  }
}

function dot(taps: Float32Array, input: Float32Array, from: number): number {
  let sum = 0;
  for (let i = 0; i < taps.length; i++) sum += taps[i]! * input[from + i]!;
  return sum;
}

/** By WebAssembly, in a memory with the phases. */
export class KernelFilters implements Filters {
  private readonly resample: Resample;
  private readonly taps: number;
  private readonly inputAt: number;
  private readonly outputAt: number;
  private readonly input: Float32Array;
  private readonly output: Float32Array;
  readonly most: number;

  constructor(
    private readonly phases: readonly Float32Array[],
    private readonly up: number,
    private readonly down: number,
  ) {
    this.taps = Math.ceil(phases[0]!.length / 4) * 4;
    const tableBytes = phases.length * this.taps * 4;
    this.inputAt = tableBytes;
    const inputSize = this.taps + MOST_SAMPLES;
    this.outputAt = tableBytes + inputSize * 4;
    const memory = kernelMemory(this.outputAt + MOST_SAMPLES * 4);
    ({ resample: this.resample } = kernel<{ resample: Resample }>(RESAMPLER_KERNEL_CODE, memory));
    for (const [i, phase] of phases.entries()) new Float32Array(memory.buffer, i * this.taps * 4).set(phase);
    this.input = new Float32Array(memory.buffer, this.inputAt, inputSize);
    this.output = new Float32Array(memory.buffer, this.outputAt, MOST_SAMPLES);
    this.most = Math.max(1, Math.min(MOST_SAMPLES, Math.floor((MOST_SAMPLES * up) / down)));
  }

  run(input: Float32Array, start: number, past: number, count: number): Float32Array {
    const { phases, taps, up, down, inputAt, outputAt } = this;
    const needed = Math.floor((past + (count - 1) * down) / up) + taps;
    const there = input.subarray(start, start + needed);
    this.input.set(there);
    // Beyond it taps are zero, but what another sound left there might not be a number.
    this.input.fill(0, there.length, needed);
    this.resample(0, phases.length - 1, taps, up, down, past, inputAt, outputAt, count);
    return this.output.subarray(0, count);
  }
}
