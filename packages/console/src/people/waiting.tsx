/**
 * Callers who want a person: whatever page is open, it rings and says who waits, and whoever takes the call
 * talks in a window of its own.
 */
import { PhoneIncoming } from 'lucide-react';
import { useEffect } from 'react';
import type { WaitingCaller } from '@verbalon/protocol';
import { http, useLoaded } from '../shared/use-loaded.js';
import { useWork } from '../shared/use-work.js';
import { Known } from './known.js';

const LOOK_EVERY_MS = 1_500;
/** Two tones together, so long, again and again, in s. */
const RING = { hz: [440, 480], onS: 1, everyS: 3, loudness: 0.06 };

export function Waiting() {
  const { value } = useLoaded(() => http.waiting(), 'waiting', LOOK_EVERY_MS);
  const waiting = value ?? [];
  useRinging(waiting.length > 0);
  if (waiting.length === 0) return null;
  return (
    <div role="alert" className="fixed top-2 right-2 z-50 max-w-md">
      <ul className="flex flex-col gap-2">
        {waiting.map((one) => (
          <Caller key={one.conversation} {...one} />
        ))}
      </ul>
    </div>
  );
}

function Caller({ conversation, assistant, line, caller, known }: WaitingCaller) {
  const { doing, trouble, run } = useWork();
  const take = () => {
    // Opened at once: a window that opens later is taken for an advertisement.
    const page = window.open('', '_blank');
    run(async () => {
      const link = await http.view(conversation, { may: 'take over' });
      page?.location.assign(link.page);
    });
  };
  const who = [caller.name, caller.id].filter(Boolean).join(', ') || 'Somebody';
  return (
    <li className="card bg-base-100 border-2 border-primary shadow-lg">
      <div className="card-body p-4 gap-2">
        <h2 className="card-title text-base">
          <PhoneIncoming size={20} aria-hidden /> {who} wants a person
        </h2>
        <p className="text-sm text-accent">
          {line === 'phone' ? 'By telephone' : `By ${line}`}, now with {assistant}
        </p>
        <Known known={known} />
        {trouble && <p className="text-error text-sm">{trouble.title}</p>}
        <button className="btn btn-primary btn-sm" onClick={take} disabled={doing !== null}>
          Take the call
        </button>
      </div>
    </li>
  );
}

/** A page that nobody has touched yet may not make a sound: then it only shows. */
function useRinging(rings: boolean): void {
  useEffect(() => {
    if (!rings) return;
    const context = new AudioContext();
    const loudness = context.createGain();
    loudness.gain.value = 0;
    loudness.connect(context.destination);
    const tones = RING.hz.map((hz) => {
      const tone = context.createOscillator();
      tone.frequency.value = hz;
      tone.connect(loudness);
      tone.start();
      return tone;
    });
    const ring = () => {
      const now = context.currentTime;
      loudness.gain.setTargetAtTime(RING.loudness, now, 0.02);
      loudness.gain.setTargetAtTime(0, now + RING.onS, 0.02);
    };
    ring();
    const timer = setInterval(ring, RING.everyS * 1_000);
    return () => {
      clearInterval(timer);
      for (const tone of tones) tone.stop();
      void context.close();
    };
  }, [rings]);
}
