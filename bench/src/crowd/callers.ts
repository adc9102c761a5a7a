/**
 * A process of its own: many callers over real sockets, who say a sentence, hear its answer, and say the next
 * one. Told of each packet of the assistant's sound how late it was, and of each answer how long it took.
 */
import { lineAddress } from '@verbalon/client';
import { HOUSE_RATE_HZ, samplesOfMs } from '@verbalon/core';
import { readFrame, writeFrame, type ServiceMessage } from '@verbalon/protocol';
import { WebSocket } from 'ws';
import { sayings } from '../common/stage.js';

export interface Crowd {
  address: string;
  callers: number;
  /** Of the measuring, after everybody has come. */
  seconds: number;
  /** Packets come straight back. */
  relay: boolean;
}

const PACKET_MS = 20;
const PACKET = samplesOfMs(PACKET_MS, HOUSE_RATE_HZ);
/** They come one after the other within so long, in ms. */
const COMING_MS = 4_000;
/** Silence after a saying: long enough for its answer. */
const SILENCE_MS = 4_500;
/** The line says so often what it has played, in ms. */
const REPORT_MS = 100;
/**
 * A packet of sound may come so late against the first one of its phrase, in ms: what a line has in hand when
 * it begins to play.
 */
const IN_HAND_MS = 60;

const lateness: number[] = [];
const gaps: number[] = [];
let lost = 0;
let measuring = false;

function tapeOf(samples: Int16Array): Int16Array {
  const silence = samplesOfMs(SILENCE_MS, HOUSE_RATE_HZ);
  const tape = new Int16Array(Math.ceil((samples.length + silence) / PACKET) * PACKET);
  for (let i = 0; i < tape.length; i++) tape[i] = (samples[i] ?? 0) + ((i * 7919) % 27) - 13;
  return tape;
}

class Caller {
  private readonly socket: WebSocket;
  private captured = 0;
  private timer: NodeJS.Timeout | undefined;
  private fromMs = 0;
  private admitted = false;
  private leaves = false;
  /** When this caller last fell silent, by the clock; null once that was answered. */
  private silentMs: number | null = null;
  private readonly playing = new Map<number, { fromMs: number; reported: number }>();

  constructor(
    private readonly crowd: Crowd,
    private readonly tape: Int16Array,
    private readonly spoken: number,
  ) {
    this.socket = new WebSocket(crowd.relay ? crowd.address : lineAddress(crowd.address));
    this.socket.on('message', (data: Buffer, isBinary) => (isBinary ? this.hear(data) : this.told(data)));
    this.socket.on('error', () => undefined);
    this.socket.on('close', () => this.stop());
    this.socket.on('open', () => {
      if (crowd.relay) return this.begin();
      this.socket.send(
        JSON.stringify({
          kind: 'arrive',
          line: 'web',
          assistant: 'plain',
          audio: { encoding: 's16le', rateHz: HOUSE_RATE_HZ },
        }),
      );
    });
  }

  private told(data: Buffer): void {
    const { kind } = JSON.parse(data.toString()) as ServiceMessage;
    if (kind === 'admitted' && !this.admitted) this.begin();
  }

  private begin(): void {
    this.admitted = true;
    this.fromMs = performance.now();
    this.timer = setInterval(() => this.speak(), PACKET_MS);
  }

  /** All packets that are due: a timer that rings late is no caller who falls silent. */
  private speak(): void {
    const due = ((performance.now() - this.fromMs) * HOUSE_RATE_HZ) / 1_000;
    for (; this.captured + PACKET <= due; this.captured += PACKET) {
      const at = this.captured % this.tape.length;
      if (at <= this.spoken && at + PACKET > this.spoken) this.silentMs = performance.now();
      const samples = this.tape.subarray(at, at + PACKET);
      if (this.crowd.relay) this.sentMs.push(performance.now());
      this.socket.send(
        writeFrame({ from: 'caller', epoch: 0, firstSample: this.captured, samples, last: false }),
      );
    }
  }

  private readonly sentMs: number[] = [];

  private hear(data: Buffer): void {
    const now = performance.now();
    if (this.crowd.relay) {
      const late = now - this.sentMs.shift()!;
      if (measuring) lateness.push(late);
      return;
    }
    const { epoch, firstSample, samples } = readFrame(data);
    const known = this.playing.get(epoch);
    if (!known) {
      this.playing.set(epoch, { fromMs: now, reported: 0 });
      if (this.silentMs !== null && measuring) gaps.push(now - this.silentMs);
      this.silentMs = null;
    }
    const { fromMs, reported } = this.playing.get(epoch)!;
    const wantedMs = fromMs + IN_HAND_MS + (firstSample * 1_000) / HOUSE_RATE_HZ;
    if (measuring) lateness.push(Math.max(0, now - wantedMs));
    const end = firstSample + samples.length;
    if (end - reported < samplesOfMs(REPORT_MS, HOUSE_RATE_HZ)) return;
    this.playing.set(epoch, { fromMs, reported: end });
    this.report(epoch, end, wantedMs);
  }

  /** When it will have been played. */
  private report(epoch: number, sample: number, atMs: number): void {
    setTimeout(
      () => {
        if (this.socket.readyState === WebSocket.OPEN)
          this.socket.send(JSON.stringify({ kind: 'played', speech: epoch, sample, capture: this.captured }));
      },
      Math.max(0, atMs - performance.now()),
    );
  }

  private stop(): void {
    if (!this.leaves) lost++;
    clearInterval(this.timer);
  }

  leave(): void {
    this.leaves = true;
    clearInterval(this.timer);
    this.socket.terminate();
  }
}

const after = (ms: number) => new Promise((done) => setTimeout(done, ms));

process.on('message', (crowd: Crowd) => {
  void measure(crowd).then((found) => {
    process.send!(found, () => process.exit());
  });
});

async function measure(crowd: Crowd): Promise<object> {
  const said = sayings(['miller-asks', 'baker-interrupts']);
  const callers: Caller[] = [];
  for (let i = 0; i < crowd.callers; i++) {
    const { samples } = said[i % said.length]!;
    callers.push(new Caller(crowd, tapeOf(samples), samples.length));
    await after(COMING_MS / crowd.callers);
  }
  await after(2_000);
  process.send!({ began: true });
  measuring = true;
  await after(1_000 * crowd.seconds);
  measuring = false;
  process.send!({ over: true });
  for (const caller of callers) caller.leave();
  return { lateness, gaps, lost };
}
process.send!({ ready: true });
