/**
 * A caller who types all the time and counts what comes back: what is stored of his talk must be just that.
 */
import { WebSocket } from 'ws';
import { lineAddress } from '@verbalon/client';
import type { ServiceMessage } from '@verbalon/protocol';
import { until, type ServiceUnderFire } from './common/service-under-fire.js';

const TYPES_EVERY_MS = 150;

export interface Stored {
  /** Turns that were told and are not stored, and entries that are missing within the journal. */
  lost: number;
  doubled: number;
  /** From the first turn that is missing at the end to the end, in ms; 0 where none is. */
  behindMs: number;
}

export class Writer {
  conversation = '';
  private readonly turns: number[] = [];
  private readonly socket: WebSocket;
  private timer: NodeJS.Timeout | undefined;
  private endedMs = 0;

  private constructor(private readonly service: ServiceUnderFire) {
    this.socket = new WebSocket(lineAddress(service.address));
    this.socket.on('error', () => undefined);
    this.socket.on('close', () => this.over());
  }

  /** Whoever comes while the service is full, after a crowd, is told to come again, and does. */
  static async begin(service: ServiceUnderFire): Promise<Writer> {
    let begun: Writer | null = null;
    await until(async () => {
      const writer = new Writer(service);
      if (await writer.isAdmitted()) begun = writer;
      return begun !== null;
    });
    return begun!;
  }

  /** @returns false where the line was closed instead */
  private async isAdmitted(): Promise<boolean> {
    const { socket } = this;
    const closed = new Promise<false>((done) => socket.once('close', () => done(false)));
    const open = new Promise<true>((done) => socket.once('open', () => done(true)));
    if (!(await Promise.race([open, closed]))) return false;
    socket.send(
      JSON.stringify({
        kind: 'arrive',
        line: 'web',
        assistant: 'fire',
        audio: { encoding: 's16le', rateHz: 16_000 },
      }),
    );
    const admitted = new Promise<true>((done) =>
      socket.on('message', (data: Buffer, isBinary) => {
        if (isBinary) return;
        const message = JSON.parse(data.toString()) as ServiceMessage;
        if (message.kind === 'turn') this.turns.push(performance.now());
        if (message.kind !== 'admitted') return;
        this.conversation = message.conversation;
        done(true);
      }),
    );
    if (!(await Promise.race([admitted, closed]))) return false;
    this.timer = setInterval(
      () => socket.send(JSON.stringify({ kind: 'typed', text: 'Is the path open?' })),
      TYPES_EVERY_MS,
    );
    return true;
  }

  async leave(): Promise<void> {
    clearInterval(this.timer);
    const { socket } = this;
    if (socket.readyState === socket.CLOSED) return;
    const closed = new Promise((done) => socket.once('close', done));
    socket.send(JSON.stringify({ kind: 'leave' }));
    await closed;
  }

  /** What is stored of the talk, beside what was told. */
  async stored(): Promise<Stored> {
    const [found] = await this.service.query<{
      turns: number;
      entries: number;
      distinct: number;
      last: number;
    }>(
      `select (select count(*)::int from turns where conversation = $1) as turns, count(*)::int as entries,
         count(distinct index)::int as distinct, coalesce(max(index) + 1, 0)::int as last
       from journal where conversation = $1`,
      [this.conversation],
    );
    const { turns, entries, distinct, last } = found!;
    const missing = Math.max(0, this.turns.length - turns);
    const firstMissing = this.turns.at(-missing);
    const behindMs = missing > 0 && firstMissing !== undefined ? this.endedMs - firstMissing : 0;
    // The one that was open when he left may be stored and not told.
    const more = Math.max(0, turns - this.turns.length - 1);
    return { lost: missing + (last - distinct), doubled: entries - distinct + more, behindMs };
  }

  private over(): void {
    clearInterval(this.timer);
    this.endedMs = performance.now();
  }
}
