/** What the full-screen views show, kept current by the talk; no drawing in it. */
import { emptyView, showMessage, showPlayed, type TalkView } from '@verbalon/client';
import { levelDb, logEdges, Spectrum, toFloats } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import type { CallKeys } from './live-call.js';

const BANDS = 24;
const LOW_HZ = 80;
const HIGH_HZ = 8_000;

export interface Screen {
  view: TalkView;
  levelDb: number;
  bandsDb: readonly number[];
  /** What the caller is typing. */
  typing: string;
}

export class ScreenModel {
  screen: Screen = {
    view: { ...emptyView, connection: 'opening' },
    levelDb: -90,
    bandsDb: new Array<number>(BANDS).fill(-90),
    typing: '',
  };
  keys: CallKeys | null = null;
  private spectrum: Spectrum | null = null;
  private readonly listeners = new Set<() => void>();

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

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
    const lost = words.includes('was lost');
    const back = words.includes('is back');
    const { view } = this.screen;
    this.set({
      view: { ...view, notice: words, connection: lost ? 'away' : back ? 'open' : view.connection },
    });
  }

  sound(samples: Int16Array, rateHz: number): void {
    const size = 2 * Math.round(rateHz / 100);
    this.spectrum ??= new Spectrum(size, rateHz);
    const floats = toFloats(samples);
    const edges = logEdges(LOW_HZ, Math.min(HIGH_HZ, rateHz / 2), BANDS);
    const piece = floats.length >= size ? floats.subarray(0, size) : floats;
    const bandsDb = piece.length === size ? this.spectrum.bandLevels(piece, edges) : this.screen.bandsDb;
    this.set({ levelDb: levelDb(floats), bandsDb });
  }

  /** A key without key-up: pressed and let go at once, which latches until it is pressed again. */
  pressKey(): void {
    this.keys?.press();
    this.keys?.release();
    const { view } = this.screen;
    this.set({ view: { ...view, pressed: !view.pressed, notice: '' } });
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
    for (const listener of this.listeners) listener();
  }
}
