/** Figures with their 95 % intervals. Nobody is left out: what never came is infinitely late. */
import { seeded } from '@verbalon/core';

const RESAMPLED = 1_000;
/** Of a normal deviate, two-sided. */
const Z95 = 1.96;

export interface Within {
  value: number;
  from: number;
  to: number;
}

/** So many of all, in percent; the interval is Wilson's (1927). */
export function shareOf(part: number, whole: number): Within & { n: number } {
  const n = Math.max(1, whole);
  const p = part / n;
  const middle = (p + Z95 ** 2 / (2 * n)) / (1 + Z95 ** 2 / n);
  const half = (Z95 * Math.sqrt((p * (1 - p)) / n + Z95 ** 2 / (4 * n ** 2))) / (1 + Z95 ** 2 / n);
  const percent = (value: number) => Number((100 * Math.min(1, Math.max(0, value))).toFixed(1));
  return { value: percent(p), from: percent(middle - half), to: percent(middle + half), n: whole };
}

/** The value below which this share of all lies (nearest rank): infinity has its place like any other. */
export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.max(0, Math.ceil(share * sorted.length) - 1))] ?? Infinity;
}

/** A figure of these rows, with its interval by resampling them (Efron 1979). */
export function within<T>(rows: readonly T[], figure: (rows: readonly T[]) => number): Within {
  const random = seeded(1);
  const again = () => figure(rows.map(() => rows[Math.floor(random() * rows.length)]!));
  const all = Array.from({ length: RESAMPLED }, again);
  return { value: figure(rows), from: quantile(all, 0.025), to: quantile(all, 0.975) };
}

/** The middle and the 95th of a hundred, in whole units. */
export function spreadWithin(values: readonly number[]): { n: number; p50: Within; p95: Within } | null {
  if (values.length === 0) return null;
  const at = (share: number) =>
    rounded(
      within(values, (some) => quantile(some, share)),
      0,
    );
  return { n: values.length, p50: at(0.5), p95: at(0.95) };
}

/** The ratio of two middles. */
export function ratioOfMiddles(ones: readonly number[], others: readonly number[]): Within {
  const random = seeded(5);
  const again = (values: readonly number[]) =>
    values.map(() => values[Math.floor(random() * values.length)]!);
  const ratio = (a: readonly number[], b: readonly number[]) => quantile(a, 0.5) / quantile(b, 0.5);
  const all = Array.from({ length: RESAMPLED }, () => ratio(again(ones), again(others)));
  return rounded({ value: ratio(ones, others), from: quantile(all, 0.025), to: quantile(all, 0.975) }, 2);
}

function rounded({ value, from, to }: Within, digits: number): Within {
  const round = (one: number) => Number(one.toFixed(digits));
  return { value: round(value), from: round(from), to: round(to) };
}
