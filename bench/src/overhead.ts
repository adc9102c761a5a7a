/**
 * Our own share, with engines that answer at once: from a turn's words to its first sound, once inside the
 * service (to the frame handed to the socket) and once as a client sees it (its message sent to its frame
 * received, over loopback).
 */
import { lineAddress } from '@verbalon/client';
import { HOUSE_RATE_HZ, languageOf, NOTHING_USED, USUAL_MANNERS, type Plan } from '@verbalon/core';
import type { AnyEngine, LlmEngine, SttEngine, TtsEngine } from '@verbalon/engines';
import { readFrame, type ServiceMessage } from '@verbalon/protocol';
import { EngineRegistry, OwnStages, PhraseStore, Spending, StageWorkers, Session } from '@verbalon/service';
import { pino } from 'pino';
import { WebSocket } from 'ws';
import { INSTANT } from './crowd/engines.js';
import { benchService, spread } from './common/stage.js';

const TURNS = 500;
const WARM_UP_TURNS = 50;
/** Between turns, in ms: a line that sends more than 200 messages a second is closed. */
const BETWEEN_MS = 15;

const stt: SttEngine = {
  ...INSTANT,
  name: 'ears',
  role: 'stt',
  prepare: () => Promise.resolve([]),
  forget: () => undefined,
  open: () => ({ push: () => undefined, finish: () => undefined, events: (async function* () {})() }),
};
const llm: LlmEngine = {
  ...INSTANT,
  name: 'thinker',
  role: 'llm',
  think: async function* () {
    yield { kind: 'piece', text: 'Yes, it is.' };
  },
};
const tts: TtsEngine = {
  ...INSTANT,
  name: 'voice',
  role: 'tts',
  voices: ['slt'],
  pronounce: () => Promise.resolve({}),
  speak: async function* ({ text }) {
    const words = text.split(' ').map((word, i) => ({ word, endMs: 100 * (i + 1) }));
    yield { kind: 'audio', samples: new Int16Array(HOUSE_RATE_HZ / 2).fill(1_000), words };
  },
};

const PLAN: Plan = {
  purpose: 'talk',
  language: 'en',
  persona: '',
  greeting: '',
  sayings: languageOf('en').sayings,
  names: [],
  written: true,
  expect: { phrases: [] },
  lineup: { stt: ['ears'], llm: ['thinker'], tts: ['voice'] },
  manners: { ...USUAL_MANNERS, firstWordMs: 0, headStarts: 0, fillerAfterMs: 0 },
};

const log = pino({ level: 'silent' });
const workers = new StageWorkers(log);
const engines = new EngineRegistry(
  new Map<string, AnyEngine>([stt, llm, tts].map((one) => [one.name, one])),
  log,
);

/** As the service's, but without sound that is kept: every phrase is to be synthesised. */
function noSpending(): Spending {
  return new Spending({
    prices: () => null,
    usedBefore: () => NOTHING_USED,
    spentToday: () => 0,
    budget: undefined,
    keep: () => undefined,
    warn: () => undefined,
    usedUp: () => undefined,
  });
}

const NO_CHOICE = {
  swap: () => Promise.resolve(null),
  languageSet: (): never => {
    throw new Error('no language is set here');
  },
};

/**
 * Inside the service: from the turn's words to the first frame handed to the socket, one talk after the
 * other.
 */
async function inside(): Promise<number[]> {
  const times: number[] = [];
  for (let turn = 0; turn < TURNS + WARM_UP_TURNS; turn++) {
    await new Promise<void>((resolve) => {
      let from = 0;
      const session = new Session({
        id: 'bench',
        plan: PLAN,
        stay: null,
        profile: null,
        voice: {},
        engines,
        phrases: new PhraseStore(),
        stages: new OwnStages({
          talk: 'bench',
          stages: {},
          stay: null,
          folder: '.',
          workers,
          page: null,
          log,
        }),
        spending: noSpending(),
        rateHz: HOUSE_RATE_HZ,
        mayEcho: true,
        log,
        record: { journal: () => undefined, audio: () => undefined, turn: () => undefined },
        choice: NO_CHOICE,
        zone: 'UTC',
        errands: {
          run: () => Promise.resolve({ ending: 'done', given: {} }),
          stop: () => undefined,
          note: () => undefined,
        },
        line: {
          send: () => undefined,
          close: () => undefined,
          play: () => {
            if (times.length > turn) return;
            times.push(performance.now() - from);
            session.end('goodbye');
            resolve();
          },
        },
      });
      session.begin();
      from = performance.now();
      session.happen({ kind: 'typed', text: 'is it open' });
    });
  }
  return times.slice(WARM_UP_TURNS);
}

export async function overheadBench(): Promise<object> {
  const within = await inside();
  const service = await benchService([], engines);
  const socket = new WebSocket(lineAddress(service.address));
  await new Promise((done) => socket.once('open', done));
  socket.send(
    JSON.stringify({ kind: 'arrive', line: 'web', audio: { encoding: 's16le', rateHz: HOUSE_RATE_HZ } }),
  );
  const times: number[] = [];
  let asked = 0;
  await new Promise<void>((resolve, reject) => {
    socket.on('close', () => reject(new Error('the line was closed')));
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
        if (message.kind === 'admitted' || message.kind === 'turn') setTimeout(ask, BETWEEN_MS);
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
  return { insideMs: spread(within), overLoopbackMs: spread(times.slice(WARM_UP_TURNS)) };
}
