/** How probable the end of a turn was, and how that grew while the caller was silent. */
import type { Report } from '@verbalon/client';

type Wait = NonNullable<Report['wait']>;

const percent = (share: number) => `${Math.round(100 * share)} %`;

/** For a person to read; empty where nothing is known of it. */
export function growthInWords({ probability, growth }: Wait): string {
  if (probability === undefined) return '';
  const first = growth?.[0]?.probability;
  const then =
    first === undefined || percent(first) === percent(probability) ? '' : `, then ${percent(probability)}`;
  return `the end of the turn: ${percent(first ?? probability)} probable${then}`;
}

interface GrowthProps {
  wait: Wait;
  waitedMs: number;
  /** From ms of the pause to pixels. */
  x: (ms: number) => number;
  top: number;
  height: number;
}

/** A line through the wait: at its top the end is certain. */
export function Growth({ wait, waitedMs, x, top, height }: GrowthProps) {
  const { probability, growth = [] } = wait;
  if (probability === undefined) return null;
  const points = [...growth.filter(({ ms }) => ms < waitedMs), { ms: waitedMs, probability }].map(
    (one) => `${x(one.ms)},${top + (1 - one.probability) * height}`,
  );
  return (
    <polyline points={points.join(' ')} fill="none" stroke="var(--color-base-content)" strokeWidth="1.5" />
  );
}
