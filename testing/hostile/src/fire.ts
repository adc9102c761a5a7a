/**
 * What is sent to the service, and how it is struck. Everything counts as survived that is answered, or
 * refused with words, in time.
 */
import { once } from 'node:events';
import { readdirSync, readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { lineAddress } from '@verbalon/client';
import { seeded } from '@verbalon/core';
import { WebSocket } from 'ws';
import { BAD_WAYS, type BadWay } from './common/bad-engine.js';
import { flacBomb } from './bombs.js';
import { hostileItem } from './messages.js';
import { below, mutated, pick } from './common/mutated.js';
import { until, type ServiceUnderFire } from './common/service-under-fire.js';
import { Writer } from './writer.js';

/** A line that is waited for longer is stuck, in ms. */
const STUCK_MS = 60_000;
/** Lines at once, and what each sends a second and in all: less than what a line is closed for. */
const LINES = 8;
const ITEMS_A_SECOND = 150;
const ITEMS_A_LINE = 300;
const SOUNDS_AT_ONCE = 4;
const UPLOADS_AT_ONCE = 40;
const ARRIVE = {
  kind: 'arrive',
  line: 'web',
  assistant: 'fire',
  audio: { encoding: 's16le', rateHz: 16_000 },
};
/** With a page that takes part in everything, and says what it likes. */
const WITH_PAGE = { ...ARRIVE, assistant: 'chat', parts: ['heard', 'asked', 'spoken', 'thinking'] };
/** Processes of the service, by what stands in their command lines. */
export const KILLED = {
  'local ears': 'pocketsphinx/host.js',
  'the local voice': 'flite/host.js',
  'a stand-in': 'alder/main.js',
  'a decoder at work': 'decode-host.js',
};

export const pause = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));

export class Fire {
  private readonly random: () => number;

  constructor(
    private readonly service: ServiceUnderFire,
    private readonly seed: number,
    private readonly soundFolder: string,
  ) {
    this.random = seeded(seed);
  }

  /** @returns how many were sent without a line that got stuck or a service that ended */
  async items(count: number, from: number): Promise<number> {
    let next = 0;
    let survived = 0;
    const line = async () => {
      while (next < count) {
        const first = next;
        next += ITEMS_A_LINE;
        const many = Math.min(ITEMS_A_LINE, count - first);
        if (await this.oneLine(this.seed * 1_000_003 + from + first, many)) survived += many;
      }
    };
    await Promise.all(Array.from({ length: LINES }, line));
    return survived;
  }

  /** Sends items over lines, a new one whenever one is closed. */
  private async oneLine(seed: number, count: number): Promise<boolean> {
    for (let sent = 0; sent < count;) {
      const socket = new WebSocket(lineAddress(this.service.address));
      let open = false;
      socket.on('error', () => undefined);
      const closed = new Promise<void>((done) => socket.on('close', () => done()));
      await Promise.race([
        new Promise<void>((done) => socket.on('open', () => ((open = true), done()))),
        closed,
      ]);
      if (!open && this.service.child.exitCode !== null) return false;
      if (this.random() < 0.9) socket.send(JSON.stringify(this.random() < 0.7 ? ARRIVE : WITH_PAGE));
      while (sent < count && socket.readyState === socket.OPEN) {
        socket.send(hostileItem(seed + sent++));
        if (sent % 15 === 0) await pause((15 * 1_000) / ITEMS_A_SECOND);
      }
      if (this.random() < 0.5) socket.close();
      else socket.terminate();
      if (!(await inTime(closed))) return false;
    }
    return true;
  }

  /**
   * So many callers at once. @returns how many were let in, how many were told to come again, and how long
   * the slowest waited, in ms
   */
  async crowd(count: number): Promise<{ admitted: number; told: number; slowestMs: number }> {
    const sum = { admitted: 0, told: 0, slowestMs: 0 };
    const sockets = Array.from({ length: count }, () => new WebSocket(lineAddress(this.service.address)));
    await Promise.all(
      sockets.map(async (socket) => {
        socket.on('error', () => undefined);
        await new Promise((done) => socket.once('open', done));
        const fromMs = performance.now();
        socket.send(JSON.stringify(ARRIVE));
        const [first] = (await once(socket, 'message')) as [Buffer];
        sum.slowestMs = Math.max(sum.slowestMs, performance.now() - fromMs);
        if (first.toString().startsWith('{"kind":"admitted"')) sum.admitted++;
        else if (first.toString().includes('"service-full"')) sum.told++;
      }),
    );
    for (const socket of sockets) socket.close();
    return sum;
  }

  async sounds(count: number, from: number): Promise<number> {
    const files = readdirSync(this.soundFolder).map((name) => readFileSync(join(this.soundFolder, name)));
    const one = async (i: number) => {
      const bytes =
        i % 100 === 99 ? flacBomb(8_000) : mutated(pick(this.random, files), this.seed * 7_919 + from + i);
      return this.answered('/v1/transcribe?assistant=clouds', {
        method: 'POST',
        body: bytes as Uint8Array<ArrayBuffer>,
      });
    };
    return this.many(count, SOUNDS_AT_ONCE, one);
  }

  /**
   * Recordings that come all at once, half of them cut off on the way. @returns how many were answered or
   * left nothing behind
   */
  async uploads(count: number): Promise<number> {
    const [name] = readdirSync(this.soundFolder);
    const bytes = readFileSync(join(this.soundFolder, name!));
    const whole = (i: number) =>
      i % 2 === 0
        ? this.answered('/v1/transcribe?assistant=clouds', {
            method: 'POST',
            body: bytes as Uint8Array<ArrayBuffer>,
          })
        : this.cutOff(bytes);
    const survived = await this.many(count, UPLOADS_AT_ONCE, whole);
    const left = () => readdirSync(join(this.service.dataFolder, 'uploads'));
    await until(() => left().length === 0);
    return survived;
  }

  private cutOff(bytes: Buffer): Promise<boolean> {
    return new Promise((done) => {
      const { port, host } = new URL(this.service.address);
      const socket = connect(Number(port), '127.0.0.1', () => {
        socket.write(`POST /v1/transcribe HTTP/1.1\r\nHost: ${host}\r\nContent-Length: 100000000\r\n\r\n`);
        socket.write(bytes, () => socket.resetAndDestroy());
      });
      socket.on('error', () => undefined);
      socket.on('close', () => done(this.service.child.exitCode === null));
    });
  }

  async requests(count: number): Promise<number> {
    return this.many(count, 4, (i) => (i % 10 === 0 ? this.rawBytes(i) : this.strangeRequest()));
  }

  private async strangeRequest(): Promise<boolean> {
    const { random } = this;
    // What is removed is nobody's whom the rest of the campaign needs.
    const paths = [
      '/v1/aloud',
      '/v1/ask',
      '/v1/tryouts',
      '/v1/engines/check',
      '/v1/conversations',
      '/v1/files/assistants/spare',
      '/v1/files/assistants/spare/check',
      '/v1/schemas/constructor.json',
      '/v1/recordings/..%2f..%2fx.wav',
      '/%',
      '//',
      '/v1/conversations/00000000-0000-0000-0000-000000000000/audio.wav',
      '/v1/costs?days=1e9',
      '/v1/line',
    ];
    const bodies = [
      '{}',
      '[]',
      'null',
      '{',
      '{"text":"\\ud800"}',
      '{"text":"\\u0000"}',
      '{"__proto__":{"x":1}}',
      `{"text":"${'a'.repeat(19_000)}"}`,
      `{"text":"${'http://a'.repeat(2_000)}"}`,
      '['.repeat(100_000),
      'title: *x\n',
      'a: &a [*a, *a]\n',
      `{"role":"llm","engines":["echo"],"texts":["${'['.repeat(1_900)}"]}`,
      '{"role":"stt","engines":["ears"],"brought":"../../etc"}',
      'x'.repeat(1_200_000),
    ];
    const method = pick(random, ['GET', 'POST', 'PUT', 'DELETE', 'OPTIONS']);
    const headers: Record<string, string> = {
      'content-type': pick(random, [
        'application/json',
        'text/yaml',
        'text/plain',
        'application/json; charset=x',
      ]),
      ...(random() < 0.1 ? { 'content-encoding': 'gzip' } : {}),
      ...(random() < 0.1 ? { range: 'bytes=9999999999-' } : {}),
    };
    const body = method === 'GET' || method === 'OPTIONS' ? {} : { body: pick(random, bodies) };
    return this.answered(pick(random, paths), { method, headers, ...body });
  }

  /** Bytes that are hardly HTTP, and a connection that is reset during it. */
  private rawBytes(i: number): Promise<boolean> {
    const starts = [
      'GET // HTTP/1.1\r\nHost: localhost\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n',
      'GET /v1/line HTTP/1.1\r\nHost: evil\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n',
      'GET /nothing HTTP/1.1\r\nHost: localhost\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n',
      '\0\0\0\0',
      'POST /v1/transcribe HTTP/1.1\r\nHost: localhost\r\nContent-Length: 1000000\r\n\r\nabc',
    ];
    return new Promise((done) => {
      const { port } = new URL(this.service.address);
      const socket = connect(Number(port), '127.0.0.1', () => {
        socket.write(starts[(i / 10) % starts.length]!);
        setTimeout(() => socket.resetAndDestroy(), below(this.random, 20));
      });
      socket.on('error', () => undefined);
      socket.on('close', () => done(this.service.child.exitCode === null));
    });
  }

  /** Each way once as a question, and once in a talk. */
  async badWays(): Promise<number> {
    let survived = 0;
    for (const way of Object.keys(BAD_WAYS) as BadWay[]) {
      this.service.engine.way = way;
      const body = JSON.stringify({ assistant: 'bad', text: 'Is it open?' });
      const asked = await this.answered('/v1/ask', {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body,
      });
      if (asked && (await this.typedTurn())) survived++;
    }
    this.service.engine.way = 'right';
    return survived;
  }

  /** One typed turn with the bad engine: answered, or said that it cannot be. */
  private async typedTurn(): Promise<boolean> {
    const socket = new WebSocket(lineAddress(this.service.address));
    socket.on('error', () => undefined);
    const over = new Promise<void>((done) => {
      socket.on('close', () => done());
      socket.on('message', (data: Buffer, isBinary) => {
        if (!isBinary && /^\{"kind":"(?:speech|turn)"/.test(data.toString())) done();
      });
    });
    await new Promise<void>((done) => socket.once('open', () => done()));
    socket.send(
      JSON.stringify({
        kind: 'arrive',
        line: 'web',
        assistant: 'bad',
        audio: { encoding: 's16le', rateHz: 16_000 },
      }),
    );
    socket.send(JSON.stringify({ kind: 'typed', text: 'Is it open?' }));
    const came = await inTime(over);
    socket.close();
    return came;
  }

  /** Strikes so often while somebody types. */
  async whileWriting(times: number, strike: () => Promise<unknown>) {
    const writer = await Writer.begin(this.service);
    let survived = 0;
    for (let i = 0; i < times; i++) {
      if (await inTime(strike())) survived++;
      await pause(300);
    }
    await writer.leave();
    await this.allWritten(writer);
    return { survived, ...(await writer.stored()) };
  }

  /** Kills one of these processes, and waits until there is another, and callers can be served. */
  async kill(part: string): Promise<void> {
    if (part === KILLED['a decoder at work']) return this.killDecoder(part);
    const before = this.service.children(part);
    process.kill(pick(this.random, before), 'SIGKILL');
    await until(() => {
      const now = this.service.children(part);
      return now.length >= before.length && now.some((pid) => !before.includes(pid));
    });
    await this.service.ready();
  }

  private async killDecoder(part: string): Promise<void> {
    const bytes = readFileSync(join(this.soundFolder, 'bunks.flac'));
    const done = this.answered('/v1/transcribe?assistant=fire', {
      method: 'POST',
      body: bytes as Uint8Array<ArrayBuffer>,
    });
    let over = false;
    void done.then(() => (over = true));
    await until(() => over || this.service.children(part).length > 0);
    for (const pid of this.service.children(part)) process.kill(pid, 'SIGKILL');
    if (!(await done)) throw new Error('it was not answered');
  }

  /** SIGKILL of the whole service while somebody types, and a new start. */
  async killService(times: number) {
    const sum = { survived: 0, lost: 0, doubled: 0, behindMs: 0 };
    for (let i = 0; i < times; i++) {
      const writer = await Writer.begin(this.service);
      await pause(1_000 + below(this.random, 1_000));
      await this.service.killAndBegin();
      const { doubled, behindMs } = await writer.stored();
      sum.survived++;
      sum.doubled += doubled;
      sum.behindMs = Math.max(sum.behindMs, behindMs);
      if (behindMs > 250) sum.lost++;
    }
    return sum;
  }

  private async allWritten({ conversation }: Writer): Promise<void> {
    await until(async () => {
      const [row] = await this.service.query<{ ended_at: Date | null }>(
        'select ended_at from conversations where id = $1',
        [conversation],
      );
      return row !== undefined && row.ended_at !== null;
    });
  }

  /** Was it answered at all, in time, and not by a fault of the service? */
  private async answered(path: string, init: RequestInit): Promise<boolean> {
    try {
      const answer = await fetch(this.service.address + path, {
        ...init,
        signal: AbortSignal.timeout(STUCK_MS),
      });
      const text = await answer.text();
      return !text.includes('"internal"');
    } catch {
      // A body that is refused before all of it was sent ends the connection: that is an answer too.
      return this.service.child.exitCode === null && this.alive();
    }
  }

  private alive(): Promise<boolean> {
    return fetch(`${this.service.address}/healthz`).then(
      ({ ok }) => ok,
      () => false,
    );
  }

  private async many(count: number, atOnce: number, one: (i: number) => Promise<boolean>): Promise<number> {
    let next = 0;
    let survived = 0;
    const row = async () => {
      while (next < count) if (await one(next++)) survived++;
    };
    await Promise.all(Array.from({ length: atOnce }, row));
    return survived;
  }
}

async function inTime(work: Promise<unknown>): Promise<boolean> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<false>((done) => (timer = setTimeout(() => done(false), STUCK_MS)));
  const done = work.then(
    () => true as const,
    () => false as const,
  );
  return Promise.race([done, late]).finally(() => clearTimeout(timer));
}
