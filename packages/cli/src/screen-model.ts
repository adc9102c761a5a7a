/** What the full-screen views show, kept current by the talk; no drawing in it. */
import { emptyView, showMessage, showPlayed, type TalkView } from '@verbalon/client';
import { Meter, QUIET_READING, toFloats, type MeterReading } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import type { CallKeys } from './live-call.js';

export interface Screen {
  view: TalkView;
  meter: MeterReading;
  /** What the caller is typing. */
  typing: string;
}

export class ScreenModel {
  screen: Screen = {
    view: { ...emptyView, connection: 'opening' },
    meter: QUIET_READING,
    typing: '',
  };
  keys: CallKeys | null = null;
  private meter: Meter | null = null;

  message(message: ServiceMessage): void {
    let view = showMessage(this.screen.view, message);
    // The key is up again as soon as the turn is over, however it ended.
    if (message.kind === 'state' && message.state !== 'listening') view = { ...view, pressed: false };
    this.set({ view });
  }

  /** The line has played so much of a speech when the axis stood there. */
  played(speech: number, playedMs: number, atMs: number): void {
    this.set({ view: showPlayed(this.screen.view, speech, playedMs, atMs) });
  }

  notice(words: string): void {
    this.set({ view: { ...this.screen.view, notice: words } });
  }

  connection(connection: TalkView['connection']): void {
    this.set({ view: { ...this.screen.view, connection } });
  }

  sound(samples: Int16Array, rateHz: number): void {
    this.meter ??= new Meter(rateHz);
    this.set({ meter: this.meter.read(toFloats(samples)) });
  }

  /** A key without key-up: pressed and let go at once, which latches until it is pressed again. */
  pressKey(): void {
    this.keys?.press();
    this.keys?.release();
    const { view } = this.screen;
    this.set({ view: { ...view, pressed: !view.pressed, notice: '' } });
  }

  /** A button goes down. */
  press(): void {
    this.keys?.press();
    this.set({ view: { ...this.screen.view, pressed: true, notice: '' } });
  }

  /** … and up: after a mere tap the turn goes on until the next one. */
  release(wasTap: boolean): void {
    this.keys?.release();
    if (!wasTap) this.set({ view: { ...this.screen.view, pressed: false } });
  }

  toggleFloor(): void {
    const { view } = this.screen;
    const floor = view.floor === 'open' ? 'press' : 'open';
    this.keys?.floor(floor);
    this.set({ view: { ...view, floor, pressed: false } });
  }

  /** Keys come one by one; what is pasted comes at once, ends of lines included. */
  type(letters: string): void {
    letters.split(/\r\n?|\n/).forEach((line, i) => {
      if (i > 0) this.enter();
      this.set({ typing: this.screen.typing + line });
    });
  }

  erase(): void {
    this.set({ typing: [...this.screen.typing].slice(0, -1).join('') });
  }

  enter(): void {
    const text = this.screen.typing.trim();
    this.set({ typing: '' });
    if (text !== '') this.keys?.type(text);
  }

  private set(change: Partial<Screen>): void {
    this.screen = { ...this.screen, ...change };
  }
}
