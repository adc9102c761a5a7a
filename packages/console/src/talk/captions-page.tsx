/**
 * Captions for a screen in the room: whoever has the link sees what is said, and a face if wanted; nothing
 * else.
 */
import { useEffect, useState } from 'react';
import { useParams } from 'react-router';
import { emptyView, mouthAt, showMessage, showPlayed, type TalkView } from '@verbalon/client';
import type { WatchedEvent } from '@verbalon/protocol';
import { Captions } from './captions.js';
import { Face } from './face.js';
import { Join } from './join.js';
import { Screen, useChoice, useSize } from './screen.js';

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
      const open = event.kind === 'heard' ? mouthAt(event.levelDb) : null;
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
  const { view, open, state } = useWatched(token);
  const { isSmall, toggle } = useSize();
  const [face, showFace] = useChoice('face');
  const [may] = useChoice('may');
  return (
    <Screen
      isSmall={isSmall}
      beside={face !== null && <Face phase={view.phase} open={open} />}
      below={
        <>
          {may !== null && state !== 'over' && <Join token={token} takesOver={may === 'take-over'} />}
          {toggle}
          <button className="btn btn-sm btn-ghost" onClick={() => showFace(face === null ? '' : null)}>
            {face === null ? 'With a face' : 'Without a face'}
          </button>
        </>
      }
    >
      {state === 'over' ? (
        <p className="text-3xl">The talk is over, or this link has expired.</p>
      ) : (
        <Captions view={view} name="Assistant" size={isSmall ? 'large' : 'huge'} />
      )}
    </Screen>
  );
}
