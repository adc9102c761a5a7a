/** Single turns without microphone or loudspeaker, as fast as they can go: the line "plays" every sound at once. For tests and benches. */
import { HOUSE_RATE_HZ, samplesOfMs } from '@verbalon/core';
import { readFrame, writeFrame, type ServiceMessage, type ServiceMessageOf } from '@verbalon/protocol';
import { WebSocket } from 'ws';
import { lineAddress } from './line.js';

/** After a saying, so that the end of the voice is heard, in ms. */
const SILENCE_MS = 1_300;
const PATIENCE_MS = 30_000;

/** What is typed, or said. */
export type What = { text: string } | { samples: Int16Array };

export interface QuickTurn {
  conversation: string;
  report: ServiceMessageOf<'turn'>['report'];
  messages: ServiceMessage[];
  /** From what was asked to the first sound's frame, in ms; null without one. */
  firstSoundMs: number | null;
}

export interface QuickOptions {
  assistant?: string;
  /** Asked for before the turn. */
  swap?: { role: 'stt' | 'llm' | 'tts'; engine: string };
  language?: { hears?: string; speaks?: string };
}

/** One turn in a talk of its own: typed, or said; the line plays everything at once. */
export async function quickTurn(
  address: string,
  what: What,
  { assistant, swap, language }: QuickOptions = {},
): Promise<QuickTurn> {
  const wish = swap ? { kind: 'swap', ...swap } : language ? { kind: 'language', ...language } : null;
  const socket = new WebSocket(lineAddress(address));
  const messages: ServiceMessage[] = [];
  await new Promise((done) => socket.once('open', done));
  socket.send(
    JSON.stringify({
      kind: 'arrive',
      assistant,
      line: 'web',
      audio: { encoding: 's16le', rateHz: HOUSE_RATE_HZ },
    }),
  );
  let askedMs = 0;
  let firstSoundMs: number | null = null;
  let capture = 1;
  const ask = () => {
    askedMs = performance.now();
    if (!('samples' in what)) return socket.send(JSON.stringify({ kind: 'typed', text: what.text }));
    capture = sayAtOnce(socket, what.samples);
  };
  return new Promise<QuickTurn>((resolve, reject) => {
    const timer = setTimeout(
      () =>
        reject(
          new Error(`no report within ${PATIENCE_MS} ms: ${messages.map(({ kind }) => kind).join(' ')}`),
        ),
      PATIENCE_MS,
    );
    socket.on('message', (data: Buffer, isBinary) => {
      if (isBinary) {
        firstSoundMs ??= performance.now() - askedMs;
        const { epoch, firstSample, samples, last } = readFrame(data);
        const sample = firstSample + samples.length;
        if (last || sample % (HOUSE_RATE_HZ / 5) < samples.length)
          socket.send(JSON.stringify({ kind: 'played', speech: epoch, sample, capture }));
        return;
      }
      const message = JSON.parse(data.toString()) as ServiceMessage;
      messages.push(message);
      if (message.kind === 'admitted' && wish) socket.send(JSON.stringify(wish));
      // Refused or not, the turn comes after it.
      const isOver = ['swapped', 'languageSet', 'trouble'].includes(message.kind) && askedMs === 0;
      if (wish ? isOver : message.kind === 'admitted') ask();
      if (message.kind !== 'turn' || message.report.source === 'greeting') return;
      clearTimeout(timer);
      socket.close(1000);
      const conversation = (messages[0] as ServiceMessageOf<'admitted'>).conversation;
      resolve({ conversation, report: message.report, messages, firstSoundMs });
    });
  });
}

/** The saying and silence after it, all at once. @returns samples sent */
function sayAtOnce(socket: WebSocket, samples: Int16Array): number {
  const before = samplesOfMs(300, HOUSE_RATE_HZ);
  const all = Int16Array.from(
    { length: before + samples.length + samplesOfMs(SILENCE_MS, HOUSE_RATE_HZ) },
    (_, i) => samples[i - before] ?? ((i * 7919) % 27) - 13,
  );
  const piece = samplesOfMs(200, HOUSE_RATE_HZ);
  for (let at = 0; at < all.length; at += piece) {
    const part = all.slice(at, at + piece);
    socket.send(writeFrame({ from: 'caller', epoch: 0, firstSample: at, last: false, samples: part }));
  }
  return all.length;
}
