/** Sound check: which devices, how loud the microphone is, and whether it hears the loudspeaker. */
import { useEffect, useRef, useState } from 'react';
import type { Trouble } from '@verbalon/client';
import {
  ECHO_LOOK_HZ,
  findEcho,
  joinPcm16,
  levelDb,
  resample,
  testSweep,
  toFloats,
  toPcm16,
  type Echo,
} from '@verbalon/core';
import { MicrophoneTrouble, SoundEnd, type DeviceChoice } from '@verbalon/client/browser';
import { workletUrl } from '../sound/worklet.js';
import { Notice } from '../shared/notice.js';
import { Devices } from './devices.js';

const SWEEP_AFTER_MS = 500;
const LISTEN_MS = 2_500;

interface Found {
  echo: Echo | null;
  loudestDb: number;
}

/** Plays a short tone while the microphone listens. */
async function echoTest(choice: DeviceChoice, level: (db: number) => void): Promise<Found> {
  const sound = await SoundEnd.open('microphone', choice, workletUrl);
  try {
    const { rateHz } = sound;
    const parts: Int16Array[] = [];
    let playedAt = 0;
    const count = () => parts.reduce((sum, part) => sum + part.length, 0);
    await new Promise<void>((resolve) => {
      sound.start({
        captured: (_first, samples) => {
          parts.push(samples);
          level(levelDb(toFloats(samples)));
          if (playedAt === 0 && (count() * 1000) / rateHz >= SWEEP_AFTER_MS) {
            playedAt = count();
            sound.add({ from: 'assistant', epoch: 1, samples: toPcm16(testSweep(rateHz)), last: true });
          }
          if ((count() * 1000) / rateHz >= LISTEN_MS) resolve();
        },
        played: () => undefined,
        ducked: () => undefined,
        recordingOver: () => undefined,
        device: () => undefined,
      });
    });
    const captured = toFloats(joinPcm16(parts));
    const heard = resample(captured.subarray(playedAt), rateHz, ECHO_LOOK_HZ);
    const echo = findEcho(testSweep(ECHO_LOOK_HZ), heard, ECHO_LOOK_HZ);
    const loudestDb = Math.max(...parts.map((part) => levelDb(toFloats(part))));
    return { echo, loudestDb };
  } finally {
    sound.close();
  }
}

function verdict({ echo, loudestDb }: Found): string {
  if (loudestDb < -85) return 'The microphone gives silence: it is muted, or another one is in use.';
  if (!echo) return 'The microphone does not hear the loudspeaker: you can interrupt by speaking.';
  const found = `The microphone hears the loudspeaker after ${Math.round(echo.delayMs)} ms, at ${Math.round(echo.levelDb)} dB.`;
  return echo.levelDb > -20
    ? `${found} Wear headphones, turn it down, or interrupt with Esc.`
    : `${found} That is quiet enough.`;
}

export function SoundCheck({
  devices,
  choose,
  close,
}: {
  devices: DeviceChoice;
  choose: (devices: DeviceChoice) => void;
  close: () => void;
}) {
  const dialog = useRef<HTMLDialogElement>(null);
  const meter = useRef<HTMLProgressElement>(null);
  const [state, setState] = useState<'idle' | 'testing' | Found>('idle');
  const [trouble, setTrouble] = useState<Trouble | null>(null);
  useEffect(() => dialog.current?.showModal(), []);
  const test = async () => {
    setState('testing');
    setTrouble(null);
    try {
      setState(
        await echoTest(devices, (db) => meter.current && (meter.current.value = Math.max(0, db + 80))),
      );
    } catch (error) {
      setState('idle');
      const isKnown = error instanceof MicrophoneTrouble;
      setTrouble({
        title: 'No microphone',
        detail: isKnown ? error.message : String(error),
        remedy: isKnown ? error.wayOut : 'Try again.',
      });
    }
  };
  return (
    <dialog ref={dialog} className="modal" aria-labelledby="check-title" onClose={close}>
      <div className="modal-box">
        <h2 id="check-title" className="text-lg font-bold mb-3">
          Sound check
        </h2>
        <Devices devices={devices} choose={choose} />
        <p className="mt-3 mb-1 text-sm">Microphone</p>
        <progress
          ref={meter}
          className="progress progress-primary"
          max={80}
          value={0}
          aria-label="Level of the microphone"
        />
        <p className="my-3 min-h-12" role="status">
          {state === 'idle' &&
            'A short tone is played, and it is measured how much of it the microphone hears.'}
          {state === 'testing' && 'Listening …'}
          {typeof state === 'object' && verdict(state)}
        </p>
        {trouble && <Notice trouble={trouble} />}
        <form method="dialog" className="modal-action">
          <button className="btn">Close</button>
          <button
            type="button"
            className="btn btn-primary"
            disabled={state === 'testing'}
            onClick={() => void test()}
          >
            Play the tone
          </button>
        </form>
      </div>
    </dialog>
  );
}
