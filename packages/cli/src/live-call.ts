/** A talk through the machine's own microphone and loudspeaker. */
import { GOODBYE, Line, lineAddress, Playout, type SocketLike } from '@verbalon/client';
import { joinPcm16, msOfSamples, toPcm16 } from '@verbalon/core';
import type { CallerMessageOf, ServiceMessage } from '@verbalon/protocol';
import { WebSocket } from 'ws';
import { LiveSound } from './live-sound.js';
import type { SoundChoice } from './sound-programs.js';

const RATE_HZ = 16_000;
/** What the loudspeaker's program and the sound system hold back, in ms; a guess, on the side of "not heard yet". */
const OUTPUT_LATENCY_MS = 120;

export interface LiveCallOptions {
  address: string;
  assistant: string | undefined;
  purpose: 'talk' | 'listen';
  line: CallerMessageOf<'arrive'>['line'];
  /** The microphone does not hear the loudspeaker. */
  headphones: boolean;
  floor?: 'open' | 'press' | undefined;
  language?: string | undefined;
  sound: SoundChoice;
  onMessage: (message: ServiceMessage) => void;
  /** Something about the devices, in words. */
  onNotice: (words: string) => void;
  onConnection: (state: 'lost' | 'back') => void;
  onSound: (samples: Int16Array, rateHz: number) => void;
  /** So much of a speech has been played when the axis stood there. */
  onPlayed: (speech: number, playedMs: number, atMs: number) => void;
  /** Called when the line is open. */
  onOpen: (call: CallKeys) => void;
}

/** What a person in front of the terminal can do. */
export interface CallKeys {
  press(): void;
  release(): void;
  hush(): void;
  fresh(): void;
  type(text: string): void;
  floor(floor: 'open' | 'press'): void;
  leave(): void;
}

/** Both sides as they were sent and heard, on the caller's axis. */
export interface LiveCall {
  rateHz: number;
  caller: Int16Array;
  assistant: Int16Array;
  cutOff: string | null;
}

/** Runs until the caller leaves, the assistant has said goodbye, or the line is closed. */
export async function liveCall(options: LiveCallOptions): Promise<LiveCall> {
  const sent: Int16Array[] = [];
  const heard: Int16Array[] = [];
  let captured = 0;
  let line: Line | null = null;
  const playout = new Playout(RATE_HZ, (report) => {
    line?.send({ kind: 'played', ...report });
    options.onPlayed(
      report.speech,
      msOfSamples(report.sample, RATE_HZ),
      msOfSamples(report.capture, RATE_HZ),
    );
  });
  const latency = (OUTPUT_LATENCY_MS * RATE_HZ) / 1000;
  let end!: (cutOff: string | null) => void;
  const over = new Promise<string | null>((resolve) => (end = resolve));
  line = await Line.connect(
    () => new WebSocket(lineAddress(options.address)) as unknown as SocketLike,
    options.address,
    arriveOf(options),
    {
      message: (message) => {
        if (message.kind === 'duck') playout.duck();
        if (message.kind === 'unduck') playout.unduck();
        if (message.kind === 'hush') playout.flush(captured);
        options.onMessage(message);
      },
      sound: (frame) => playout.add(frame),
      connection: (state) => options.onConnection(state),
      closed: ({ code, reason }) => end(code === GOODBYE ? null : reason || 'the connection was lost'),
    },
  );
  const open = line;
  let failure: Error | null = null;
  const sound = new LiveSound(RATE_HZ, options.sound, {
    captured: (samples) => {
      open.sendSound(captured, samples);
      captured += samples.length;
      const out = toPcm16(playout.pull(samples.length, captured + latency));
      sent.push(samples);
      heard.push(out);
      options.onSound(samples, RATE_HZ);
      return out;
    },
    device: options.onNotice,
    failed: (error) => {
      failure = error;
      end(error.message);
    },
  });
  options.onOpen(
    keysOf(
      open,
      () => captured,
      () => end(null),
    ),
  );
  const cutOff = await over;
  // The last words are still in the loudspeaker's program.
  if (cutOff === null) await new Promise((done) => setTimeout(done, 2 * OUTPUT_LATENCY_MS));
  sound.close();
  open.leave();
  open.close();
  if (failure !== null && captured === 0) throw failure as Error;
  return { rateHz: RATE_HZ, caller: joinPcm16(sent), assistant: joinPcm16(heard), cutOff };
}

function arriveOf({ line, purpose, headphones, floor, language, assistant }: LiveCallOptions) {
  return {
    line,
    purpose,
    audio: { encoding: 's16le' as const, rateHz: RATE_HZ },
    echo: headphones ? ('none' as const) : ('loud' as const),
    ...(floor === undefined ? {} : { floor }),
    ...(language === undefined ? {} : { language }),
    ...(assistant === undefined ? {} : { assistant }),
  };
}

export function keysOf(line: Line, capture: () => number, leave: () => void): CallKeys {
  return {
    press: () => line.send({ kind: 'press', capture: capture() }),
    release: () => line.send({ kind: 'release', capture: capture() }),
    hush: () => line.send({ kind: 'hush' }),
    fresh: () => line.send({ kind: 'fresh' }),
    type: (text) => line.send({ kind: 'typed', text: text.slice(0, 4_000) }),
    floor: (floor) => line.send({ kind: 'floor', floor }),
    leave,
  };
}
