/** Captions without a talk: a tap starts them, another stops them; nobody answers. */
import { useEffect, useMemo, useSyncExternalStore } from 'react';
import { TalkSession } from '@verbalon/client/browser';
import { Notice } from '../shared/notice.js';
import { workletUrl } from '../sound/worklet.js';
import { Captions } from './captions.js';
import { Screen, useSize } from './screen.js';

export function HearingPage() {
  const session = useMemo(
    () =>
      new TalkSession({
        address: location.origin,
        workletUrl,
        arrive: () => Promise.resolve({ purpose: 'listen' as const }),
      }),
    [],
  );
  const view = useSyncExternalStore(session.subscribe, () => session.view);
  const { isSmall, toggle } = useSize();
  useEffect(() => () => session.end(), [session]);
  const isOn = view.connection === 'open' || view.connection === 'opening';
  const tap = () => (isOn ? session.end() : void session.begin({ kind: 'microphone' }, undefined, undefined));
  return (
    <Screen
      isSmall={isSmall}
      below={
        <>
          <button className={`btn btn-sm ${isOn ? 'btn-secondary' : 'btn-primary'}`} onClick={tap}>
            {isOn ? 'Stop' : 'Start'}
          </button>
          {toggle}
        </>
      }
    >
      {view.trouble && <Notice trouble={view.trouble} />}
      {isOn || view.segments.length > 0 ? (
        <Captions view={view} size={isSmall ? 'large' : 'huge'} />
      ) : (
        <p className="text-3xl">Press Start: what is said is written here, and nobody answers.</p>
      )}
    </Screen>
  );
}
