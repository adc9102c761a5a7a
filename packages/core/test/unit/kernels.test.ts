/** What is done by WebAssembly where it may run, and by JavaScript where a page forbids it, is the same. */
import { describe, expect, it } from '@jest/globals';
import { filtersOf, KernelFilters, PlainFilters } from '../../src/audio/filters.js';
import { runs } from '../../src/audio/kernel.js';
import { EchoCanceller } from '../../src/hearing/echo-canceller.js';
import { echoArithmetic, KernelEcho, PlainEcho } from '../../src/hearing/echo-arithmetic.js';
import { levelDb, seeded } from '../../src/index.js';

const noise = (length: number, seed: number) => {
  const random = seeded(seed);
  return Float32Array.from({ length }, () => random() - 0.5);
};
const difference = (a: Float32Array, b: Float32Array) => levelDb(a.map((sample, i) => sample - b[i]!));

describe('the kernels', () => {
  it('run here, and what cannot run is told', () => {
    expect(echoArithmetic()).toBeInstanceOf(KernelEcho);
    expect(filtersOf([noise(8, 1), noise(8, 2)], 1, 2)).toBeInstanceOf(KernelFilters);
    expect(runs(Uint8Array.of(0, 97, 115))).toBe(false);
  });

  it.each([
    [1, 3],
    [3, 2],
    [2, 1],
    [160, 441],
  ])('change rates as JavaScript does: %d for %d', (up, down) => {
    const phases = Array.from({ length: up + 1 }, (_, i) => noise(106, i + 1));
    const input = noise(5_000, 99);
    const [fast, plain] = [new KernelFilters(phases, up, down), new PlainFilters(phases, up, down)];
    const count = Math.min(fast.most, 1_000);
    const found = fast.run(input, 7, up - 1, count).slice();
    expect(difference(found, plain.run(input, 7, up - 1, count))).toBeLessThan(-90);
    expect(levelDb(found)).toBeGreaterThan(-20);
  });

  it('take an echo out as JavaScript does', () => {
    const own = noise(16_000 * 3, 1);
    const room = noise(own.length, 2);
    const mic = own.map((_, i) => 0.4 * (own[i - 1_200] ?? 0) + 0.001 * room[i]!);
    const clean = (canceller: EchoCanceller) => {
      const out = new Float32Array(own.length);
      for (let at = 0; at < own.length; at += 160)
        out.set(canceller.take(mic.subarray(at, at + 160), own.subarray(at, at + 160)), at);
      return out.subarray(32_000);
    };
    const [fast, plain] = [
      clean(new EchoCanceller(new KernelEcho())),
      clean(new EchoCanceller(new PlainEcho())),
    ];
    expect(levelDb(fast)).toBeLessThan(levelDb(mic) - 20);
    expect(difference(fast, plain)).toBeLessThan(levelDb(fast) - 20);
  });
});
