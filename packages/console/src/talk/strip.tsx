/** The strip: two staves over time, every word at the time at which it was spoken. The right edge is now. */
import { useEffect, useRef, useState } from 'react';
import type { TalkSession } from './talk-session.js';
import { assistantWords, callerWords, type SpokenWord, type TalkView } from '@verbalon/client';

const PX_PER_SECOND = 96;
const ROW_PX = 19;
const ROWS = 3;
const LANE_PX = ROW_PX * ROWS + 12;
const LETTER_PX = 7.4;
const HEIGHT = 2 * LANE_PX + 22;
const REFRESH_MS = 60;
const CALM_REFRESH_MS = 500;

function useNow(session: TalkSession, live: boolean): number {
  const [nowMs, setNow] = useState(0);
  useEffect(() => {
    if (!live) return;
    const calm = matchMedia('(prefers-reduced-motion: reduce)').matches;
    const timer = setInterval(() => setNow(session.nowMs()), calm ? CALM_REFRESH_MS : REFRESH_MS);
    return () => clearInterval(timer);
  }, [session, live]);
  return nowMs;
}

/** Words in rows, so that none covers another. */
function inRows(words: SpokenWord[], x: (ms: number) => number): (SpokenWord & { x: number; row: number })[] {
  const ends = new Array<number>(ROWS).fill(-Infinity);
  return words.map((word) => {
    const at = x(word.fromMs);
    const free = ends.findIndex((end) => end <= at);
    const row = free >= 0 ? free : ends.indexOf(Math.min(...ends));
    ends[row] = at + word.word.length * LETTER_PX + 6;
    return { ...word, x: at, row };
  });
}

function Words({
  words,
  x,
  top,
  color,
}: {
  words: SpokenWord[];
  x: (ms: number) => number;
  top: number;
  color: string;
}) {
  return inRows(words, x).map((word, i) => (
    <text
      key={i}
      x={word.x}
      y={top + 16 + word.row * ROW_PX}
      fill={color}
      className={word.look === 'pencil' ? 'pencil' : ''}
      textDecoration={word.look === 'struck' ? 'line-through' : undefined}
      opacity={word.look === 'struck' ? 0.55 : undefined}
      fontSize="14"
    >
      {word.word}
    </text>
  ));
}

export function Strip({ session, view }: { session: TalkSession; view: TalkView }) {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1000);
  const nowMs = useNow(session, view.connection === 'open');
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  const x = (ms: number) => width - 24 - ((nowMs - ms) / 1000) * PX_PER_SECOND;
  const from = nowMs - (width / PX_PER_SECOND) * 1000 - 2_000;
  const caller = view.segments
    .filter(({ toMs }) => (toMs ?? nowMs) > from)
    .flatMap((one) => callerWords(one, nowMs));
  const typed = view.typed.map(({ text, atMs }): SpokenWord => ({
    word: `⌨ ${text}`,
    fromMs: atMs,
    toMs: atMs,
    look: 'ink',
  }));
  const speeches = view.speeches.filter(
    ({ fromMs, playedMs }) => fromMs !== null && fromMs + playedMs > from,
  );
  const waits = view.reports.flatMap(({ times, wait }) =>
    wait && times.voiceEndedMs !== undefined && times.voiceEndedMs > from
      ? [{ fromMs: times.voiceEndedMs, ms: wait.ms }]
      : [],
  );
  const ticks = Array.from(
    { length: Math.ceil(width / PX_PER_SECOND) + 1 },
    (_, i) => Math.floor(nowMs / 1000) - i,
  ).filter((s) => s >= 0);
  return (
    <div ref={box} className="bg-base-200 rounded-box border border-base-300 overflow-hidden">
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label="Both sides' words over time; the right edge is now"
      >
        <defs>
          <pattern
            id="hatch"
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <line x1="0" y1="0" x2="0" y2="6" stroke="var(--color-accent)" strokeWidth="1.5" opacity="0.6" />
          </pattern>
        </defs>
        {ticks.map((second) => (
          <g key={second}>
            <line
              x1={x(second * 1000)}
              x2={x(second * 1000)}
              y1={0}
              y2={2 * LANE_PX}
              stroke="var(--color-base-300)"
            />
            <text
              x={x(second * 1000) + 3}
              y={HEIGHT - 6}
              fontSize="11"
              fill="var(--color-accent)"
              className="times"
            >
              {second} s
            </text>
          </g>
        ))}
        <line x1={0} x2={width} y1={LANE_PX} y2={LANE_PX} stroke="var(--color-accent)" opacity="0.5" />
        {view.segments.map(({ fromMs, toMs }, i) => (
          <rect
            key={i}
            x={x(fromMs)}
            width={Math.max(0, x(toMs ?? nowMs) - x(fromMs))}
            y={LANE_PX - 5}
            height={4}
            fill="var(--color-primary)"
          />
        ))}
        {waits.map(({ fromMs, ms }) => (
          <g key={fromMs}>
            <rect
              x={x(fromMs)}
              width={(ms / 1000) * PX_PER_SECOND}
              y={8}
              height={LANE_PX - 14}
              fill="url(#hatch)"
            />
            <text
              x={x(fromMs) + 3}
              y={LANE_PX - 10}
              fontSize="11"
              fill="var(--color-base-content)"
              className="times"
            >
              {Math.round(ms)} ms
            </text>
          </g>
        ))}
        <Words
          words={[...caller, ...typed].sort((a, b) => a.fromMs - b.fromMs)}
          x={x}
          top={2}
          color="var(--color-primary)"
        />
        {speeches.map(({ speech, fromMs, playedMs }) => (
          <rect
            key={speech}
            x={x(fromMs!)}
            width={(playedMs / 1000) * PX_PER_SECOND}
            y={LANE_PX + 1}
            height={4}
            fill="var(--color-secondary)"
          />
        ))}
        <Words
          words={speeches.flatMap(assistantWords)}
          x={x}
          top={LANE_PX + 6}
          color="var(--color-secondary)"
        />
        {view.hushes.map((atMs) => (
          <g key={atMs}>
            <line
              x1={x(atMs)}
              x2={x(atMs)}
              y1={LANE_PX + 2}
              y2={2 * LANE_PX}
              stroke="var(--color-error)"
              strokeWidth="2.5"
            />
            <text x={x(atMs) + 4} y={2 * LANE_PX - 4} fontSize="11" fill="var(--color-error)">
              hushed
            </text>
          </g>
        ))}
        <rect x={0} y={0} width={70} height={20} fill="var(--color-base-200)" opacity="0.85" />
        <rect x={0} y={LANE_PX + 6} width={70} height={18} fill="var(--color-base-200)" opacity="0.85" />
        <text x={8} y={15} fontSize="12" fontWeight="700" fill="var(--color-primary)">
          caller
        </text>
        <text x={8} y={LANE_PX + 20} fontSize="12" fontWeight="700" fill="var(--color-secondary)">
          assistant
        </text>
      </svg>
    </div>
  );
}
