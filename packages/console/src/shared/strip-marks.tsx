/** Marks of errands on the strip: words that became values, and spans in which something was being done. */
import type { TalkView } from '@verbalon/client';

const CALL_PX = 12;

export function ValueMarks({ view, x, y }: { view: TalkView; x: (ms: number) => number; y: number }) {
  return view.marks.values.map(({ slot, fromMs, toMs }) => (
    <g key={`${slot} ${fromMs}`} data-testid="value-mark">
      <rect
        x={x(fromMs)}
        width={Math.max(2, x(toMs) - x(fromMs))}
        y={y}
        height={3}
        fill="var(--color-success)"
      />
      <title>{slot}</title>
    </g>
  ));
}

/** @param nowMs where one ends that still goes on */
export function CallSpans({
  view,
  x,
  y,
  nowMs,
}: {
  view: TalkView;
  x: (ms: number) => number;
  y: number;
  nowMs: number;
}) {
  return view.marks.calls.map(({ errand, fromMs, toMs }) => (
    <g key={fromMs} data-testid="call-span">
      <rect
        x={x(fromMs)}
        width={Math.max(3, x(toMs ?? nowMs) - x(fromMs))}
        y={y}
        height={CALL_PX}
        rx={2}
        fill="var(--color-success)"
        opacity="0.35"
      />
      <text x={x(fromMs) + 3} y={y + CALL_PX - 2} fontSize="11" fill="var(--color-base-content)">
        {errand}
      </text>
    </g>
  ));
}
