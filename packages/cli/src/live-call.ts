/** A talk through the machine's own microphone and loudspeaker. */
import { CallerEnd, GOODBYE } from '@verbalon/client';
import { nodeSocket } from '@verbalon/client/node';
import { joinPcm16, Playout, toPcm16, type Floor } from '@verbalon/core';
import { MOST_TYPED_CHARACTERS, type CallerMessageOf, type ServiceMessage } from '@verbalon/protocol';
import { LiveSound, type LiveSoundEvents } from './live-sound.js';
import type { SoundChoice } from './sound-programs.js';

const RATE_HZ = 16_000;
/**
 * What the loudspeaker's program and the sound system hold back, in ms; a guess, on the side of "not heard
 * yet".
 */
const OUTPUT_LATENCY_MS = 120;

export interface LiveCallOptions {
  address: string;
  /** For a service that asks for one. */
  key: string | undefined;
  assistant: string | undefined;
  purpose: 'talk' | 'listen';
  line: CallerMessageOf<'arrive'>['line'];
  /** The microphone does not hear the loudspeaker. */
  headphones: boolean;
  floor?: Floor | undefined;
  language?: string | undefined;
  sound: SoundChoice;
  /** Sound by another way than the machine's devices; it is heard as soon as it is given. */
  openSound?: (events: LiveSoundEvents) => { close(): void };
  /** 0 to 1. */
  volume?: () => number;
  onMessage: (message: ServiceMessage) => void;
  /** Something about the devices, in words. */
  onNotice: (words: string) => void;
  onConnection: (state: 'lost' | 'back') => void;
  onSound: (samples: Int16Array, rateHz: number) => void;
  /** This leaves the loudspeaker in `afterMs`. */
  onPlays?: (samples: Int16Array, rateHz: number, afterMs: number) => void;
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
  floor(floor: Floor): void;
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
  let end!: (cutOff: string | null) => void;
  const over = new Promise<string | null>((resolve) => (end = resolve));
  const playout: Playout = new Playout(RATE_HZ, (report) => caller.played(report));
  const caller = new CallerEnd(RATE_HZ, playout, {
    message: options.onMessage,
    played: options.onPlayed,
    connection: options.onConnection,
    // It is printed.
    screen: () => true,
    closed: ({ code, reason }) => end(code === GOODBYE ? null : reason || 'the connection was lost'),
  });
  await caller.connect(options.address, nodeSocket(options.key), arriveOf(options));
  const latencyMs = options.openSound ? 0 : OUTPUT_LATENCY_MS;
  const latency = (latencyMs * RATE_HZ) / 1000;
  let failure: Error | null = null;
  const events: LiveSoundEvents = {
    captured: (samples) => {
      caller.sendSound(samples);
      const volume = options.volume?.() ?? 1;
      const out = toPcm16(playout.pull(samples.length, caller.captured + latency).map((one) => one * volume));
      sent.push(samples);
      heard.push(out);
      options.onSound(samples, RATE_HZ);
      options.onPlays?.(out, RATE_HZ, latencyMs);
      return out;
    },
    device: options.onNotice,
    failed: (error) => {
      failure = error;
      end(error.message);
    },
  };
  const sound = options.openSound?.(events) ?? new LiveSound(RATE_HZ, options.sound, events);
  options.onOpen(keysOf(caller, () => end(null)));
  const cutOff = await over;
  // The last words are still in the loudspeaker's program.
  if (cutOff === null) await new Promise((done) => setTimeout(done, 2 * OUTPUT_LATENCY_MS));
  sound.close();
  caller.leave();
  caller.close();
  if (failure !== null && caller.captured === 0) throw failure as Error;
  return { rateHz: RATE_HZ, caller: joinPcm16(sent), assistant: joinPcm16(heard), cutOff };
}

function arriveOf({ line, purpose, headphones, floor, language, assistant }: LiveCallOptions) {
  return {
    line,
    purpose,
    echo: headphones ? ('none' as const) : ('loud' as const),
    ...(floor === undefined ? {} : { floor }),
    ...(language === undefined ? {} : { language }),
    ...(assistant === undefined ? {} : { assistant }),
  };
}

export function keysOf(caller: CallerEnd, leave: () => void): CallKeys {
  return {
    press: () => caller.press(),
    release: () => caller.release(),
    hush: () => caller.hush(),
    fresh: () => caller.fresh(),
    type: (text) => caller.type(text.slice(0, MOST_TYPED_CHARACTERS)),
    floor: (floor) => caller.floor(floor),
    leave,
  };
}
