/** A talk through the machine's own microphone and loudspeaker; typed lines are turns, an empty line is a hush. */
import { spawn } from 'node:child_process';
import { createInterface, type Interface } from 'node:readline';
import { Line, lineAddress, Playout, ServiceError, type SocketLike } from '@verbalon/client';
import { joinPcm16, pcm16Bytes, pcm16FromBytes, toPcm16 } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { WebSocket } from 'ws';
import { soundPrograms } from './sound-programs.js';

const RATE_HZ = 16_000;
/** What the loudspeaker's program and the sound system hold back, in ms; a guess, on the side of "not heard yet". */
const OUTPUT_LATENCY_MS = 120;

export interface LiveCallOptions {
  address: string;
  assistant: string | undefined;
  purpose: 'talk' | 'listen';
  headphones: boolean;
  onMessage: (message: ServiceMessage) => void;
}

/** Both sides as they were sent and heard, on the caller's axis. */
export interface LiveCall {
  rateHz: number;
  caller: Int16Array;
  assistant: Int16Array;
  cutOff: string | null;
}

/** Runs until the caller leaves (/leave, Ctrl-C or Ctrl-D) or the line is closed. */
export async function liveCall(options: LiveCallOptions): Promise<LiveCall> {
  const { capture, play } = soundPrograms(RATE_HZ);
  const sent: Int16Array[] = [];
  const heard: Int16Array[] = [];
  let captured = 0;
  let line: Line | null = null;
  let cutOff: string | null = null;
  const playout = new Playout(RATE_HZ, (report) => line?.send({ kind: 'played', ...report }));
  const latency = (OUTPUT_LATENCY_MS * RATE_HZ) / 1000;
  let end = (): void => undefined;
  const over = new Promise<void>((resolve) => (end = resolve));

  line = await Line.connect(
    new WebSocket(lineAddress(options.address)) as unknown as SocketLike,
    options.address,
    {
      line: 'terminal',
      purpose: options.purpose,
      audio: { encoding: 's16le', rateHz: RATE_HZ },
      keyOnly: !options.headphones,
      ...(options.assistant === undefined ? {} : { assistant: options.assistant }),
    },
    {
      message: (message) => {
        if (message.kind === 'duck') playout.duck();
        if (message.kind === 'unduck') playout.unduck();
        if (message.kind === 'hush') playout.flush(captured);
        options.onMessage(message);
      },
      sound: (frame) => playout.add(frame),
      closed: ({ reason }) => {
        cutOff = reason || 'the connection was lost';
        end();
      },
    },
  );
  const microphone = spawn(capture[0], capture[1], { stdio: ['ignore', 'pipe', 'pipe'] });
  const speaker = spawn(play[0], play[1], { stdio: ['pipe', 'ignore', 'ignore'] });
  speaker.stdin.on('error', () => undefined);
  let complaint = '';
  microphone.stderr.setEncoding('utf8').on('data', (text: string) => (complaint += text));
  microphone.once('exit', () => {
    cutOff ??= `the microphone (${capture[0]}) ended: ${complaint.trim() || 'without a reason'}`;
    end();
  });
  let rest = Buffer.alloc(0);
  microphone.stdout.on('data', (bytes: Buffer) => {
    const all = Buffer.concat([rest, bytes]);
    const whole = all.length - (all.length % 4);
    rest = all.subarray(whole);
    const samples = pcm16FromBytes(all.subarray(0, whole));
    line.sendSound(captured, samples);
    captured += samples.length;
    const out = toPcm16(playout.pull(samples.length, captured + latency));
    speaker.stdin.write(pcm16Bytes(out));
    sent.push(samples);
    heard.push(out);
  });
  const keys = readKeys(line, end);
  process.once('SIGINT', () => end());
  await over;
  const why = cutOff;
  keys.close();
  line.leave();
  microphone.removeAllListeners('exit').kill();
  speaker.kill();
  if (captured === 0 && why !== null) throw noMicrophone(why);
  return { rateHz: RATE_HZ, caller: joinPcm16(sent), assistant: joinPcm16(heard), cutOff: why };
}

/** A line of text is a typed turn, an empty one hushes. */
function readKeys(line: Line, end: () => void): Interface {
  const keys = createInterface({ input: process.stdin });
  keys.on('line', (text) => {
    const words = text.trim();
    if (words === '') line.send({ kind: 'hush' });
    else if (words === '/fresh') line.send({ kind: 'fresh' });
    else if (words === '/leave') end();
    else line.send({ kind: 'typed', text: words });
  });
  keys.on('close', end);
  return keys;
}

function noMicrophone(detail: string): ServiceError {
  return new ServiceError({
    code: 'microphone-silent',
    title: 'The microphone gives no sound',
    detail,
    remedy: 'Check that one is plugged in and allowed, or use --from FILE.wav.',
  });
}
