/**
 * Taking part in a talk by a link: somebody in the room who speaks with a key, or a person who takes over
 * from the assistant.
 */
import { useEffect, useMemo, useState, useSyncExternalStore } from 'react';
import { TalkSession } from '@verbalon/client/browser';
import { Known } from '../people/known.js';
import { Notice } from '../shared/notice.js';
import { workletUrl } from '../sound/worklet.js';

const NAME_KEY = 'verbalon-name';

export function Join({ token, takesOver }: { token: string; takesOver: boolean }) {
  const [name, setName] = useState(localStorage.getItem(NAME_KEY) ?? '');
  const [known, setKnown] = useState<Readonly<Record<string, string>>>({});
  const session = useMemo(
    () =>
      new TalkSession({
        address: location.origin,
        workletUrl,
        arrive: () => Promise.resolve({ join: token, caller: { name: nameIn() } }),
        message: (message) => {
          if (message.kind !== 'joined') return;
          setKnown(message.known);
          if (takesOver) session.takeOver();
        },
      }),
    [token, takesOver],
  );
  const view = useSyncExternalStore(session.subscribe, () => session.view);
  useEffect(() => () => session.end(), [session]);
  const isIn = view.connection === 'open';
  useHeldKey(isIn && !takesOver, session);
  const join = () => {
    localStorage.setItem(NAME_KEY, name.trim());
    void session.begin({ kind: 'microphone' }, undefined, undefined);
  };
  return (
    <section aria-label="Taking part" className="flex flex-col gap-2 max-w-2xl">
      {view.trouble && <Notice trouble={view.trouble} />}
      {!isIn && (
        <form
          className="flex gap-2 items-end"
          onSubmit={(event) => {
            event.preventDefault();
            join();
          }}
        >
          <label className="flex flex-col text-sm">
            Your name
            <input
              className="input"
              value={name}
              maxLength={60}
              onChange={(event) => setName(event.target.value)}
            />
          </label>
          <button className="btn btn-primary" disabled={name.trim() === '' || view.connection === 'opening'}>
            {takesOver ? 'Take the call' : 'Join'}
          </button>
        </form>
      )}
      {isIn && <Known known={known} />}
      {isIn && (
        <div className="flex gap-2 items-center">
          {takesOver ? (
            <Taken session={session} isMine={view.person === nameIn()} />
          ) : (
            <button
              className={`btn ${view.pressed ? 'btn-secondary' : 'btn-primary'}`}
              aria-pressed={view.pressed}
              onPointerDown={() => session.press()}
              onPointerUp={() => session.release()}
              onPointerCancel={() => session.release()}
            >
              {view.pressed ? 'You are heard' : 'Hold to speak (Space)'}
            </button>
          )}
          <button className="btn btn-ghost" onClick={() => session.end()}>
            Leave
          </button>
          <p role="status" className="text-sm text-accent">
            {view.recorded && 'This talk is recorded: what you say is kept. '}
            {view.person === null ? 'The assistant answers.' : `${view.person} talks with the caller.`}
          </p>
        </div>
      )}
    </section>
  );
}

const nameIn = () => localStorage.getItem(NAME_KEY) || 'a guest';

function Taken({ session, isMine }: { session: TalkSession; isMine: boolean }) {
  return (
    <button className="btn btn-primary" onClick={() => (isMine ? session.giveBack() : session.takeOver())}>
      {isMine ? 'Give back to the assistant' : 'Take over'}
    </button>
  );
}

/** Space held down speaks. */
function useHeldKey(on: boolean, session: TalkSession): void {
  useEffect(() => {
    if (!on) return;
    const isOurs = ({ code, repeat, target }: KeyboardEvent) =>
      code === 'Space' && !repeat && !(target instanceof HTMLElement && target.closest('button, input'));
    const down = (event: KeyboardEvent) => {
      if (!isOurs(event)) return;
      event.preventDefault();
      session.press();
    };
    const up = (event: KeyboardEvent) => isOurs(event) && session.release();
    addEventListener('keydown', down);
    addEventListener('keyup', up);
    return () => {
      removeEventListener('keydown', down);
      removeEventListener('keyup', up);
    };
  }, [on, session]);
}
