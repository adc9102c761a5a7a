/**
 * The strip: two staves over time, every word at the time at which it was spoken; live, or of a stored talk.
 */
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { assistantWords, callerWords, type SpokenWord, type TalkView } from '@verbalon/client';
import { Growth, growthInWords } from './growth.js';
import { CallSpans, ValueMarks } from './strip-marks.js';

const PX_PER_SECOND = 96;
const ROW_PX = 19;
const ROWS = 3;
const LANE_PX = ROW_PX * ROWS + 12;
const LETTER_PX = 7.4;
const HEIGHT = 2 * LANE_PX + 22;
const REFRESH_MS = 60;
const CALM_REFRESH_MS = 500;

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
      opacity={word.look === 'struck' ? 0.95 : undefined}
      fontSize="14"
    >
      {word.word}
    </text>
  ));
}

function useWidth(): [React.RefObject<HTMLDivElement | null>, number] {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1000);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidth(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [box, width];
}

/** The right edge is now. `nowMs` says where the caller's axis stands. */
export function LiveStrip({
  nowMs: clock,
  live,
  view,
}: {
  nowMs: () => number;
  live: boolean;
  view: TalkView;
}) {
  const [box, width] = useWidth();
  const [nowMs, setNow] = useState(0);
  useEffect(() => {
    if (!live) return;
    const calm = matchMedia('(prefers-reduced-motion: reduce)').matches;
    const timer = setInterval(() => setNow(clock()), calm ? CALM_REFRESH_MS : REFRESH_MS);
    return () => clearInterval(timer);
  }, [clock, live]);
  const x = (ms: number) => width - 24 - ((nowMs - ms) / 1000) * PX_PER_SECOND;
  const fromMs = nowMs - (width / PX_PER_SECOND) * 1000 - 2_000;
  return (
    <div ref={box} className="bg-base-200 rounded-box border border-base-300 overflow-hidden">
      <Staves
        view={view}
        x={x}
        width={width}
        fromMs={fromMs}
        toMs={nowMs}
        label="Both sides' words over time; the right edge is now"
      >
        <LaneNames />
      </Staves>
    </div>
  );
}

/** A whole stored talk, as long as it was; `atMs` is where its sound is being played. */
export function StoredStrip({
  view,
  durationMs,
  atMs,
  seek,
}: {
  view: TalkView;
  durationMs: number;
  atMs: number;
  seek: (ms: number) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const x = (ms: number) => 12 + (ms / 1000) * PX_PER_SECOND;
  const width = x(durationMs) + 60;
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const at = x(atMs) - element.scrollLeft;
    if (at < 0 || at > element.clientWidth - 160) element.scrollLeft = x(atMs) - element.clientWidth / 3;
  }, [atMs]);
  const onClick = (event: React.MouseEvent<HTMLDivElement>) => {
    const left =
      event.clientX - event.currentTarget.getBoundingClientRect().left + event.currentTarget.scrollLeft;
    seek(Math.max(0, ((left - 12) / PX_PER_SECOND) * 1000));
  };
  return (
    <div
      ref={box}
      onClick={onClick}
      tabIndex={0}
      role="group"
      aria-label="The strip of this talk; click to hear from there"
      className="bg-base-200 rounded-box border border-base-300 overflow-x-auto cursor-pointer"
    >
      <Staves
        view={view}
        x={x}
        width={width}
        fromMs={-1_000}
        toMs={durationMs}
        label="Both sides' words over time"
      >
        <line
          x1={x(atMs)}
          x2={x(atMs)}
          y1={0}
          y2={2 * LANE_PX}
          stroke="var(--color-base-content)"
          strokeWidth="1.5"
          data-testid="playhead"
        />
      </Staves>
    </div>
  );
}

function LaneNames() {
  return (
    <>
      <rect x={0} y={0} width={70} height={20} fill="var(--color-base-200)" opacity="0.85" />
      <rect x={0} y={LANE_PX + 6} width={70} height={18} fill="var(--color-base-200)" opacity="0.85" />
      <text x={8} y={15} fontSize="12" fontWeight="700" fill="var(--color-primary)">
        caller
      </text>
      <text x={8} y={LANE_PX + 20} fontSize="12" fontWeight="700" fill="var(--color-secondary)">
        assistant
      </text>
    </>
  );
}

interface StavesProps {
  view: TalkView;
  x: (ms: number) => number;
  width: number;
  /** What is drawn. */
  fromMs: number;
  toMs: number;
  label: string;
  children: ReactNode;
}

function Staves({ view, x, width, fromMs, toMs, label, children }: StavesProps) {
  const caller = view.segments
    .filter((one) => (one.toMs ?? toMs) > fromMs)
    .flatMap((one) => callerWords(one, toMs));
  const typed = view.typed.map(({ text, atMs }): SpokenWord => ({
    word: `⌨ ${text}`,
    fromMs: atMs,
    toMs: atMs,
    look: 'ink',
  }));
  const speeches = view.speeches.filter((one) => one.fromMs !== null && one.fromMs + one.playedMs > fromMs);
  const seconds = Array.from(
    { length: Math.max(0, Math.ceil((toMs - fromMs) / 1000) + 1) },
    (_, i) => Math.floor(toMs / 1000) - i,
  ).filter((second) => second >= 0);
  return (
    <svg width={width} height={HEIGHT} role="img" aria-label={label}>
      <defs>
        <pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="6" stroke="var(--color-accent)" strokeWidth="1.5" opacity="0.6" />
        </pattern>
      </defs>
      {seconds.map((second) => (
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
      {view.segments.map((segment, i) => (
        <rect
          key={i}
          x={x(segment.fromMs)}
          width={Math.max(0, x(segment.toMs ?? toMs) - x(segment.fromMs))}
          y={LANE_PX - 5}
          height={4}
          fill="var(--color-primary)"
        />
      ))}
      <Waits view={view} x={x} fromMs={fromMs} />
      <Words
        words={[...caller, ...typed].sort((a, b) => a.fromMs - b.fromMs)}
        x={x}
        top={2}
        color="var(--color-primary)"
      />
      {speeches.map((speech) => (
        <rect
          key={speech.speech}
          x={x(speech.fromMs!)}
          width={(speech.playedMs / 1000) * PX_PER_SECOND}
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
      <ValueMarks view={view} x={x} y={LANE_PX - 10} />
      <CallSpans view={view} x={x} y={2 * LANE_PX - 14} nowMs={toMs} />
      <Hushes view={view} x={x} />
      {children}
    </svg>
  );
}

function Waits({ view, x, fromMs }: Pick<StavesProps, 'view' | 'x' | 'fromMs'>) {
  return view.reports.map(({ turn, times, wait, headStarts }) => {
    if (!wait || times.voiceEndedMs === undefined || times.voiceEndedMs < fromMs) return null;
    const left = x(times.voiceEndedMs);
    const waitedMs = times.endpointMs === undefined ? wait.ms : times.endpointMs - times.voiceEndedMs;
    return (
      <g key={turn}>
        <rect
          x={left}
          width={Math.max(0, (waitedMs / 1000) * PX_PER_SECOND)}
          y={8}
          height={LANE_PX - 14}
          fill="url(#hatch)"
        >
          <title>{[wait.reason, growthInWords(wait)].filter(Boolean).join('; ')}</title>
        </rect>
        <Growth
          {...{ wait, waitedMs }}
          x={(ms) => left + (ms / 1000) * PX_PER_SECOND}
          top={8}
          height={LANE_PX - 14}
        />
        <text x={left + 3} y={LANE_PX - 10} fontSize="11" fill="var(--color-base-content)" className="times">
          {Math.round(waitedMs)} ms
        </text>
        {headStarts.kept && times.thinkingMs !== undefined && (
          <line
            x1={x(times.thinkingMs)}
            x2={x(times.endpointMs ?? times.thinkingMs)}
            y1={LANE_PX - 8}
            y2={LANE_PX - 8}
            stroke="var(--color-secondary)"
            strokeWidth="2"
            strokeDasharray="5 3"
          >
            <title>The answer was begun here, before the turn was over</title>
          </line>
        )}
      </g>
    );
  });
}

function Hushes({ view, x }: Pick<StavesProps, 'view' | 'x'>) {
  return view.hushes.map((atMs) => (
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
  ));
}
