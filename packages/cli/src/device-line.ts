/**
 * `verbalon line --device`: a talk for whoever builds a box. Lines of JSON say what its light, its display
 * and its figure's mouth show, and lines of JSON come from its button; over standard input and output, or a
 * Unix socket.
 */
import { createServer, type Server, type Socket } from 'node:net';
import { rmSync } from 'node:fs';
import { createInterface } from 'node:readline';
import type { Readable, Writable } from 'node:stream';
import { deviceDisplay, mouthAt } from '@verbalon/client';
import { levelDb, samplesOfMs, TAP_MS, toFloats } from '@verbalon/core';
import { liveCall, type LiveCallOptions } from './live-call.js';
import { terminal } from './terminal.js';
import { RawSound } from './raw-sound.js';
import { ScreenModel } from './screen-model.js';
import { serviceAddress, serviceKey } from './service-address.js';

export interface DeviceLineOptions {
  columns: number;
  socket?: string;
  hear?: string;
  speak?: string;
  input?: string;
  output?: string;
  language?: string;
  headphones?: boolean;
}

/** The mouth moves so often. */
const MOUTH_MS = 50;
/** While it is shut it is looked at more often: it opens with the sound. */
const SHUT_MOUTH_MS = 20;
/** Words are shown as they are spoken: the display is looked at so often, in ms. */
const LOOK_MS = 40;

/** What the box says. */
type FromBox =
  | { kind: 'button'; is: 'down' | 'up' }
  | { kind: 'volume'; volume: number }
  | { kind: 'typed'; text: string }
  | { kind: 'hush' | 'fresh' | 'leave' };

const KNOWN = 'button (is: down or up), volume (volume: 0 to 1), typed (text), hush, fresh, leave';

type Given = Record<string, unknown>;

/** What a line of each kind is, from what stands in it; null where that is not right. */
const READERS: Record<FromBox['kind'], (given: Given) => FromBox | null> = {
  button: ({ is }) => (is === 'down' || is === 'up' ? { kind: 'button', is } : null),
  volume: ({ volume }) =>
    typeof volume === 'number' && volume >= 0 && volume <= 1 ? { kind: 'volume', volume } : null,
  typed: ({ text }) => (typeof text === 'string' && text.trim() !== '' ? { kind: 'typed', text } : null),
  hush: () => ({ kind: 'hush' }),
  fresh: () => ({ kind: 'fresh' }),
  leave: () => ({ kind: 'leave' }),
};

/** @returns null for what is no line of a box */
export function readBoxLine(line: string): FromBox | null {
  let given: Given | null;
  try {
    given = JSON.parse(line) as Given | null;
  } catch {
    return null;
  }
  const kind = given?.kind;
  return typeof kind === 'string' && Object.hasOwn(READERS, kind)
    ? READERS[kind as FromBox['kind']](given!)
    : null;
}

/** A box's end of a talk: what it shows is told when it changes. */
export class DeviceBox {
  readonly model = new ScreenModel();
  volume = 1;
  private told = '';
  private mouth = 0;
  /** Of the sound that was given last; the mouth follows when it is heard. */
  private level = 0;
  private isOver = false;
  private pressedAt = 0;
  private pending: number[] = [];

  constructor(
    private readonly write: (line: object) => void,
    private readonly columns: number,
  ) {}

  /** The last that it is told. */
  end(why: string): void {
    this.model.connection('ended');
    this.update();
    this.write({ kind: 'over', why });
    this.isOver = true;
  }

  /** Tells the light and the display, where they are others than before. */
  update(): void {
    if (this.isOver) return;
    const { light, lines } = deviceDisplay(this.model.screen.view, this.columns);
    const text = JSON.stringify([light, lines]);
    if (text === this.told) return;
    const [before] = this.told === '' ? [''] : (JSON.parse(this.told) as [string]);
    this.told = text;
    if (light !== before) this.write({ kind: 'light', light });
    this.write({ kind: 'lines', lines });
  }

  take(line: string): void {
    if (line.trim() === '') return;
    const said = readBoxLine(line);
    const { keys } = this.model;
    if (!said)
      return this.write({
        kind: 'trouble',
        detail: `it is not known: ${line.slice(0, 100)}`,
        remedy: `Known are ${KNOWN}.`,
      });
    switch (said.kind) {
      case 'button':
        return this.button(said.is);
      case 'volume':
        this.volume = said.volume;
        return this.write(said);
      case 'typed':
        return keys?.type(said.text);
      case 'hush':
      case 'fresh':
      case 'leave':
        return keys?.[said.kind]();
    }
  }

  private button(is: 'down' | 'up'): void {
    const { model } = this;
    if (is === 'down') {
      this.pressedAt = performance.now();
      model.press();
    } else model.release(performance.now() - this.pressedAt < TAP_MS);
    this.update();
  }

  /** This sound leaves the loudspeaker in `afterMs`. */
  plays(samples: Int16Array, rateHz: number, afterMs: number): void {
    for (const sample of samples) {
      this.pending.push(sample);
      if (this.pending.length < samplesOfMs(this.level > 0 ? MOUTH_MS : SHUT_MOUTH_MS, rateHz)) continue;
      // In steps of a hundredth.
      const level = Math.round(mouthAt(levelDb(toFloats(Int16Array.from(this.pending)))) * 100) / 100;
      this.level = level;
      this.pending = [];
      if (afterMs > 0) setTimeout(() => this.moves(level), afterMs);
      else this.moves(level);
    }
  }

  private moves(mouth: number): void {
    if (mouth === 0 && this.mouth === 0) return;
    this.mouth = mouth;
    this.write({ kind: 'mouth', open: mouth });
  }
}

export async function deviceLineCommand(
  assistant: string | undefined,
  options: DeviceLineOptions,
): Promise<void> {
  const { from, to, close } = await boxAt(options.socket);
  const box = new DeviceBox((line) => to.write(`${JSON.stringify(line)}\n`), options.columns);
  const lines = createInterface({ input: from });
  lines.on('line', (line) => box.take(line));
  const { model } = box;
  const looking = setInterval(() => box.update(), LOOK_MS);
  try {
    const call = await liveCall(
      callOf(assistant, options, box, () => lines.on('close', () => model.keys?.leave())),
    );
    box.end(call.cutOff ?? 'goodbye');
    if (call.cutOff !== null) terminal.exitCode = 1;
  } finally {
    clearInterval(looking);
    lines.close();
    await close();
  }
}

function callOf(
  assistant: string | undefined,
  { hear, speak, input, output, language, headphones }: DeviceLineOptions,
  box: DeviceBox,
  opened: () => void,
): LiveCallOptions {
  const { model } = box;
  return {
    address: serviceAddress(),
    key: serviceKey(),
    assistant,
    purpose: 'talk',
    line: 'device',
    floor: 'press',
    language,
    headphones: headphones ?? false,
    sound: { input, output },
    ...(hear === undefined || speak === undefined
      ? {}
      : { openSound: (events) => new RawSound(hear, speak, events) }),
    volume: () => box.volume,
    onMessage: (message) => {
      model.message(message);
      box.update();
    },
    onNotice: (words) => model.notice(words),
    onConnection: (state) => model.connection(state === 'lost' ? 'away' : 'open'),
    onSound: () => undefined,
    onPlays: (samples, rateHz, afterMs) => box.plays(samples, rateHz, afterMs),
    onPlayed: (speech, playedMs, atMs) => model.played(speech, playedMs, atMs),
    onOpen: (keys) => {
      model.keys = keys;
      opened();
    },
  };
}

interface BoxEnd {
  from: Readable;
  to: Writable;
  close: () => Promise<void>;
}

/** Standard input and output; or a Unix socket, on which one box is waited for. */
async function boxAt(path: string | undefined): Promise<BoxEnd> {
  if (path === undefined)
    return {
      from: process.stdin,
      to: process.stdout,
      close: () => Promise.resolve(void process.stdin.destroy()),
    };
  rmSync(path, { force: true });
  const server: Server = createServer();
  const socket = await new Promise<Socket>((resolve, reject) => {
    server.once('error', reject);
    server.once('connection', resolve);
    server.listen(path);
  });
  socket.on('error', () => undefined);
  const close = () =>
    new Promise<void>((done) => {
      server.close();
      socket.end(() => done());
    });
  return { from: socket, to: socket, close };
}
