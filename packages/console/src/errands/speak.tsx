/** A sentence spoken instead of typed: heard by an assistant's ears, as in a talk. */
import { Mic, Square } from 'lucide-react';
import { useRef } from 'react';
import { joinPcm16, writeWav } from '@verbalon/core';
import { SoundEnd } from '@verbalon/client/browser';
import { workletUrl } from '../sound/worklet.js';
import { http } from '../shared/use-loaded.js';
import type { Work } from '../shared/use-work.js';

/** @param heard the words, as they are written */
export function Speak({
  assistant,
  work: { doing, run },
  heard,
}: {
  assistant: string;
  work: Work;
  heard: (text: string) => void;
}) {
  const stop = useRef<() => void>(() => undefined);
  const begin = () =>
    run(async (tell) => {
      const sound = await SoundEnd.open('microphone', { input: '', output: '' }, workletUrl);
      const pieces: Int16Array[] = [];
      const nothing = () => undefined;
      tell('listening');
      // It listens until the button is pressed again.
      await new Promise<void>((done) => {
        stop.current = done;
        sound.start({
          captured: (_, samples) => void pieces.push(samples),
          played: nothing,
          ducked: nothing,
          recordingOver: nothing,
          device: nothing,
        });
      });
      sound.close();
      tell('hearing');
      heard(await wordsIn(pieces, sound.rateHz, assistant));
    });
  const listens = doing === 'listening';
  return (
    <button
      type="button"
      className={`btn btn-sm ${listens ? 'btn-error' : ''}`}
      disabled={doing !== null && !listens}
      onClick={() => (listens ? stop.current() : begin())}
    >
      {listens ? <Square size={14} aria-hidden /> : <Mic size={14} aria-hidden />}
      {listens ? 'Said' : 'Speak'}
    </button>
  );
}

async function wordsIn(pieces: readonly Int16Array[], rateHz: number, assistant: string): Promise<string> {
  const wav = writeWav([joinPcm16(pieces)], rateHz) as Uint8Array<ArrayBuffer>;
  for await (const event of http.transcribe(new Blob([wav]), { assistant }))
    if (event.kind === 'done') return event.transcript.text;
  throw new Error('the answer was cut off');
}
