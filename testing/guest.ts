/** Somebody who joins a talk by a link, hears everybody, and speaks by a key. */
import { joinPcm16, toPcm16 } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { CallerEnd } from '@verbalon/client';
import { nodeSocket } from '@verbalon/client/node';

const RATE_HZ = 16_000;
const FRAME = 320;

export class TestGuest {
  readonly messages: ServiceMessage[] = [];
  /** What came of everybody else. */
  readonly heard: Int16Array[] = [];
  private readonly queue: Int16Array[] = [];
  private readonly end: CallerEnd;
  private timer: NodeJS.Timeout | null = null;
  isOver = false;

  private constructor() {
    const nothing = () => undefined;
    this.end = new CallerEnd(
      RATE_HZ,
      { add: ({ samples }) => this.heard.push(samples), duck: nothing, unduck: nothing, flush: nothing },
      { message: (message) => this.messages.push(message), closed: () => (this.isOver = true) },
    );
  }

  static async join(address: string, link: string, name: string): Promise<TestGuest> {
    const guest = new TestGuest();
    await guest.end.connect(address, nodeSocket(), { line: 'web', join: link, caller: { name } });
    let next = performance.now();
    guest.timer = setInterval(() => {
      for (; next <= performance.now(); next += 20)
        guest.end.sendSound(guest.queue.shift() ?? new Int16Array(FRAME));
    }, 10);
    return guest;
  }

  get trouble(): string | undefined {
    return this.messages.flatMap((one) => (one.kind === 'trouble' ? [one.code] : []))[0];
  }

  get isSaying(): boolean {
    return this.queue.length > 0;
  }

  say(samples: Int16Array | Float32Array): void {
    const all = samples instanceof Int16Array ? samples : toPcm16(samples);
    for (let at = 0; at < all.length; at += FRAME)
      this.queue.push(joinPcm16([all.slice(at, at + FRAME), new Int16Array(FRAME)]).slice(0, FRAME));
  }

  press(): void {
    this.end.press();
  }

  release(): void {
    this.end.release();
  }

  send(message: Parameters<CallerEnd['send']>[0]): void {
    this.end.send(message);
  }

  leave(): void {
    if (this.timer) clearInterval(this.timer);
    this.end.leave();
    this.end.close();
  }
}
