/** Our own share: a turn's words to the first sound on the line, with engines that answer at once. */
import { lineAddress } from '@verbalon/client';
import { HOUSE_RATE_HZ } from '@verbalon/core';
import type { AnyEngine, LlmEngine, SttEngine, TtsEngine } from '@verbalon/engines';
import { readFrame, type ServiceMessage } from '@verbalon/protocol';
import { EngineSet } from '@verbalon/service';
import { pino } from 'pino';
import { WebSocket } from 'ws';
import { benchService, spread } from './stage.js';

const TURNS = 500;
const WARM_UP_TURNS = 50;

const always = {
  title: 'answers at once',
  where: 'on-machine' as const,
  languages: ['en'],
  readiness: () => ({ state: 'ready' as const }),
  warm: () => Promise.resolve(),
  close: () => Promise.resolve(),
};

const stt: SttEngine = {
  ...always,
  name: 'ears',
  role: 'stt',
  prepare: () => Promise.resolve([]),
  forget: () => undefined,
  open: () => ({ push: () => undefined, finish: () => undefined, events: (async function* () {})() }),
};
const llm: LlmEngine = {
  ...always,
  name: 'thinker',
  role: 'llm',
  think: async function* () {
    yield { kind: 'piece', text: 'Yes, it is.' };
  },
};
const tts: TtsEngine = {
  ...always,
  name: 'voice',
  role: 'tts',
  voices: ['slt'],
  pronounce: () => Promise.resolve({}),
  speak: async function* ({ text }) {
    const words = text.split(' ').map((word, i) => ({ word, endMs: 100 * (i + 1) }));
    yield { kind: 'audio', samples: new Int16Array(HOUSE_RATE_HZ / 2).fill(1_000), words };
  },
};

export async function overheadBench(): Promise<object> {
  const engines = new EngineSet(
    new Map<string, AnyEngine>([stt, llm, tts].map((engine) => [engine.name, engine])),
    pino({ level: 'silent' }),
  );
  const service = await benchService([], engines);
  const socket = new WebSocket(lineAddress(service.address));
  await new Promise((done) => socket.once('open', done));
  socket.send(
    JSON.stringify({ kind: 'arrive', line: 'web', audio: { encoding: 's16le', rateHz: HOUSE_RATE_HZ } }),
  );
  const times: number[] = [];
  let asked = 0;
  await new Promise<void>((resolve) => {
    let waiting = false;
    const ask = () => {
      if (times.length === TURNS + WARM_UP_TURNS) return resolve();
      waiting = true;
      asked = performance.now();
      socket.send(JSON.stringify({ kind: 'typed', text: 'is it open' }));
    };
    socket.on('message', (data: Buffer, isBinary) => {
      if (!isBinary) {
        const message = JSON.parse(data.toString()) as ServiceMessage;
        if (message.kind === 'admitted' || message.kind === 'turn') setImmediate(ask);
        return;
      }
      if (!waiting) return;
      waiting = false;
      times.push(performance.now() - asked);
      const { epoch } = readFrame(data);
      socket.send(JSON.stringify({ kind: 'played', speech: epoch, sample: HOUSE_RATE_HZ, capture: 1 }));
    });
  });
  socket.close();
  await service.end();
  return {
    overheadMs: spread(times.slice(WARM_UP_TURNS)),
    from: 'typed words sent by the client to first sound received by it, over loopback',
  };
}
