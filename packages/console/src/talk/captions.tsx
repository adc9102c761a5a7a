/** The words of the moment, large enough to be read from afar; and all that was said before. */
import { useEffect, useRef } from 'react';
import { assistantWords, segmentText, type TalkView } from '@verbalon/client';

/** What the caller says, or said last. */
function callerCaption(view: TalkView): { by: string | null; settled: string; open: string } {
  const last = view.segments.at(-1);
  if (!last) return { by: null, settled: '', open: '' };
  const turn = view.segments.filter((one) => one === last || (one.turn !== 0 && one.turn === last.turn));
  const before = turn.slice(0, -1).map(segmentText).join(' ');
  return { by: last.by, settled: [before, last.settled].filter(Boolean).join(' '), open: last.open };
}

const SIZES = { large: 'text-3xl min-h-11', huge: 'text-6xl min-h-20' };

/**
 * @param name of the assistant; without one only what is heard is shown @param size to be read at a desk, or
 * from across a room
 */
export function Captions({
  view,
  name,
  size = 'large',
}: {
  view: TalkView;
  name?: string;
  size?: keyof typeof SIZES;
}) {
  const caller = callerCaption(view);
  const speech = view.speeches.findLast(({ fromMs }) => fromMs !== null);
  const words = speech ? assistantWords(speech) : [];
  return (
    <section aria-live="polite" aria-label="Captions" className="min-h-32 flex flex-col justify-center gap-2">
      <p
        data-testid="caller-caption"
        className={`${SIZES[size]} leading-snug border-l-4 border-primary pl-3 text-primary`}
      >
        {caller.by === null ? <span className="sr-only">You: </span> : <strong>{caller.by}: </strong>}
        {caller.settled} <span className="pencil">{caller.open}</span>
      </p>
      {name !== undefined && (
        <p
          data-testid="assistant-caption"
          className={`${SIZES[size]} leading-snug border-l-4 border-dotted border-secondary pl-3 text-secondary`}
        >
          <span className="sr-only">{name}: </span>
          {words.map(({ word, look }, i) => (
            <span
              key={i}
              className={look === 'pencil' ? 'pencil' : look === 'struck' ? 'line-through opacity-95' : ''}
            >
              {word}{' '}
            </span>
          ))}
        </p>
      )}
    </section>
  );
}

export function Said({ view, name }: { view: TalkView; name: string }) {
  const list = useRef<HTMLOListElement>(null);
  useEffect(() => {
    const box = list.current?.parentElement;
    // Only the box scrolls, never the page.
    if (box) box.scrollTop = box.scrollHeight;
  }, [view.reports.length]);
  if (view.reports.length === 0)
    return <p className="text-sm text-accent">What both of you say is written here, turn by turn.</p>;
  return (
    <ol ref={list} className="text-sm space-y-1" aria-label="What was said">
      {view.reports.map((report) => (
        <li key={report.turn}>
          {report.text && (
            <p>
              <strong className="text-primary">{report.by ?? 'You'}</strong> {report.text}
            </p>
          )}
          <p>
            <strong className="text-secondary">{name}</strong> {report.heard || <em>was not heard</em>}
            {report.interrupted && <em className="text-error"> (interrupted)</em>}
          </p>
        </li>
      ))}
    </ol>
  );
}
