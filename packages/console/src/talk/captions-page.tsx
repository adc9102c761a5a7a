/** Captions for a screen in the room: whoever has the link sees what is said, and a face if wanted; nothing else. */
import { useEffect, useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import { emptyView, showMessage, showPlayed, type TalkView } from '@verbalon/client';
import type { WatchedEvent } from '@verbalon/protocol';
import { Captions } from './captions.js';
import { Face } from './face.js';

/** A voice is between these levels, in dBFS: a shut and an open mouth. */
const SHUT_DB = -50;
const OPEN_DB = -12;
/** Without a word of what was heard the mouth is shut, in ms. */
const SHUT_AFTER_MS = 250;

interface Watched {
  view: TalkView;
  open: number;
  state: 'joining' | 'watching' | 'over';
}

function shown(before: TalkView, event: WatchedEvent): TalkView {
  if (event.kind === 'heard') return showPlayed(before, event.speech, event.playedMs, event.atMs);
  const view = showMessage(before, event);
  // Nobody is to read what was said a while ago.
  return event.kind === 'state' && event.state === 'resting' ? { ...view, segments: [], speeches: [] } : view;
}

function useWatched(token: string): Watched {
  const [watched, set] = useState<Watched>({ view: emptyView, open: 0, state: 'joining' });
  useEffect(() => {
    const events = new EventSource(`/v1/views/${token}/events`);
    let shut: ReturnType<typeof setTimeout>;
    events.onopen = () =>
      set((before) => ({ ...before, view: { ...emptyView, connection: 'open' }, state: 'watching' }));
    events.onmessage = ({ data }: MessageEvent<string>) => {
      const event = JSON.parse(data) as WatchedEvent;
      const open =
        event.kind === 'heard'
          ? Math.min(1, Math.max(0, (event.levelDb - SHUT_DB) / (OPEN_DB - SHUT_DB)))
          : null;
      set((before) => ({
        view: shown(before.view, event),
        open: open ?? before.open,
        state: event.kind === 'farewell' ? 'over' : 'watching',
      }));
      if (event.kind === 'farewell') events.close();
      if (open === null) return;
      clearTimeout(shut);
      shut = setTimeout(() => set((before) => ({ ...before, open: 0 })), SHUT_AFTER_MS);
    };
    // A connection that was lost is tried again by the browser; one that is refused is over.
    events.onerror = () => {
      if (events.readyState === EventSource.CLOSED) set((before) => ({ ...before, state: 'over' }));
    };
    return () => {
      clearTimeout(shut);
      events.close();
    };
  }, [token]);
  return watched;
}

export function CaptionsPage() {
  const { token = '' } = useParams();
  const [wanted, want] = useSearchParams();
  const { view, open, state } = useWatched(token);
  const isSmall = wanted.get('size') === 'small';
  const hasFace = wanted.has('face');
  const change = (name: string, value: string | null) => {
    const next = new URLSearchParams(wanted);
    if (value === null) next.delete(name);
    else next.set(name, value);
    want(next, { replace: true });
  };
  return (
    <main className="flex-1 min-h-screen flex flex-col p-8 gap-6" data-size={isSmall ? 'small' : 'large'}>
      <div className="flex-1 flex flex-col md:flex-row gap-8 justify-center">
        {hasFace && <Face phase={view.phase} open={open} />}
        <div className="flex-1 flex flex-col justify-center">
          {state === 'over' ? (
            <p className="text-3xl">The talk is over, or this link has expired.</p>
          ) : (
            <Captions view={view} name="Assistant" size={isSmall ? 'large' : 'huge'} />
          )}
        </div>
      </div>
      <p className="flex gap-2 text-accent">
        <button className="btn btn-sm btn-ghost" onClick={() => change('size', isSmall ? null : 'small')}>
          {isSmall ? 'Larger words' : 'Smaller words'}
        </button>
        <button className="btn btn-sm btn-ghost" onClick={() => change('face', hasFace ? null : '')}>
          {hasFace ? 'Without a face' : 'With a face'}
        </button>
      </p>
    </main>
  );
}
