/** One talk of this page: the line, the sound, and the view of it for React. */
import { Meter, QUIET_READING, TAP_MS, toFloats, type Floor, type MeterReading } from '@verbalon/core';
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { ServiceError } from '../asking.js';
import { CallerEnd } from '../caller-end.js';
import { HttpClient } from '../http-client.js';
import { GOODBYE, type Arrive } from '../line.js';
import type { PageHooks } from '../page-hooks.js';
import { emptyView, showMessage, showPlayed, type TalkView, type Trouble } from '../talk-view.js';
import { MicrophoneTrouble, SoundEnd, type DeviceChoice } from './sound-end.js';

/** The title of the trouble that a page without a microphone has. */
export const NO_MICROPHONE = 'No microphone';
/** What was handed to the loudspeaker has been heard after this, in ms. */
const LAST_WORDS_MS = 400;

export type Source = { kind: 'microphone' } | { kind: 'walker'; name: string } | { kind: 'typing' };

export interface TalkSessionOptions {
  /** Where the service is. */
  address: string;
  /** Where `line.worklet` is served. */
  workletUrl: string;
  /** What else is said on arriving. */
  arrive?: () => Promise<Pick<Arrive, 'pass' | 'purpose' | 'caller' | 'join'>>;
  message?: (message: ServiceMessage) => void;
  hooks?: PageHooks | undefined;
  /**
   * Opens, shows or fills something; without it, whoever draws the view does. @returns whether it was done
   */
  screen?: (what: ServiceMessageOf<'screen'>) => boolean | Promise<boolean>;
}

export class TalkSession {
  view: TalkView = emptyView;
  meter: MeterReading = QUIET_READING;
  private listeners = new Set<() => void>();
  private caller: CallerEnd | null = null;
  private sound: SoundEnd | null = null;
  private capturedAt = 0;
  private leaving = false;
  /** What was typed before the line was there. */
  private early: string[] = [];
  /** Talks that were begun or ended: what comes of an earlier one is let go. */
  private attempts = 0;
  private pressedAt = 0;
  private latched = false;
  devices: DeviceChoice = { input: '', output: '' };

  constructor(private readonly options: TalkSessionOptions) {}

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Where the caller's axis stands, in ms, going on between two pieces of sound. */
  readonly nowMs = (): number => {
    if (!this.sound) return 0;
    return (
      ((this.caller?.captured ?? 0) * 1000) / this.sound.rateHz +
      Math.min(200, performance.now() - this.capturedAt)
    );
  };

  async begin(source: Source, assistant: string | undefined, floor: Floor | undefined): Promise<void> {
    this.end();
    this.leaving = false;
    this.early = [];
    const attempt = ++this.attempts;
    this.set({ ...emptyView, connection: 'opening' });
    try {
      const what =
        source.kind === 'walker'
          ? await new HttpClient(this.options.address).recording(source.name)
          : source.kind === 'microphone'
            ? 'microphone'
            : 'none';
      const sound = await SoundEnd.open(what, this.devices, this.options.workletUrl);
      // It was ended, or begun anew, while the browser asked for the microphone.
      if (attempt !== this.attempts) return sound.close();
      this.sound = sound;
      await this.connect(sound, source, assistant, floor, attempt);
    } catch (error) {
      if (attempt === this.attempts) this.fail(error);
    }
  }

  private async connect(
    sound: SoundEnd,
    source: Source,
    assistant: string | undefined,
    floor: Floor | undefined,
    attempt: number,
  ): Promise<void> {
    const caller = new CallerEnd(sound.rateHz, sound, {
      message: (message) => {
        if (attempt !== this.attempts) return;
        if (message.kind === 'admitted')
          sound.ducksByItself(message.interrupt !== 'key' && message.floor === 'open');
        this.set(showMessage(this.view, message));
        this.options.message?.(message);
        if (message.kind === 'state' && message.state !== 'listening' && this.view.pressed)
          this.set({ ...this.view, pressed: false });
      },
      played: (speech, playedMs, atMs) => this.set(showPlayed(this.view, speech, playedMs, atMs)),
      hooks: this.options.hooks,
      // It is shown beside the talk.
      screen: (what) => this.options.screen?.(what) ?? true,
      connection: (state) =>
        attempt === this.attempts &&
        this.set({ ...this.view, connection: state === 'lost' ? 'away' : 'open' }),
      // An old line's end is nothing to a new talk.
      closed: ({ code }) => attempt === this.attempts && this.lost(code),
    });
    const isWalker = source.kind === 'walker';
    await caller.connect(this.options.address, (at) => new WebSocket(at), {
      line: isWalker ? 'recording' : 'web',
      // A recording hears no loudspeaker.
      echo: isWalker ? 'none' : 'some',
      language: navigator.language,
      // A recorded walker has no finger for a key.
      ...(isWalker ? { floor: 'open' as const } : floor === undefined ? {} : { floor }),
      ...(assistant === undefined ? {} : { assistant }),
      ...(await this.options.arrive?.()),
    });
    if (attempt !== this.attempts) {
      caller.leave();
      return caller.close();
    }
    this.caller = caller;
    for (const text of this.early.splice(0)) caller.type(text);
    const meter = new Meter(sound.rateHz);
    sound.start({
      captured: (firstSample, samples) => {
        caller.sendSound(samples, firstSample);
        this.capturedAt = performance.now();
        this.meter = meter.read(toFloats(samples));
      },
      played: (report) => caller.played(report),
      ducked: (capture) => caller.send({ kind: 'ducked', capture }),
      device: (words) => this.set({ ...this.view, notice: words }),
      recordingOver: () =>
        this.set({ ...this.view, notice: 'The walker’s recording is over. You can still type.' }),
    });
  }

  /** Another engine is to serve from now on. */
  swap(role: 'stt' | 'llm' | 'tts', engine: string): void {
    this.caller?.send({ kind: 'swap', role, engine });
  }

  /** The assistant is to hear, or to speak, another language from now on. */
  setLanguage(language: { hears?: string; speaks?: string }): void {
    this.caller?.send({ kind: 'language', ...language });
  }

  /** Writes a value into the errand's form. */
  write(slot: string, text: string): void {
    this.caller?.write(slot, text);
  }

  hush(): void {
    this.caller?.hush();
  }

  fresh(): void {
    this.caller?.fresh();
  }

  /**
   * For whoever has joined a talk: talks with its caller in the assistant's place, or leaves it to the
   * assistant again.
   */
  takeOver(): void {
    this.caller?.send({ kind: 'takeOver' });
  }

  giveBack(): void {
    this.caller?.send({ kind: 'giveBack' });
  }

  /** The key of push-to-talk, held or tapped: the service tells which. */
  press(): void {
    if (this.view.connection !== 'open' || !this.caller) return;
    if (this.view.floor === 'once') {
      this.caller.press();
      return this.caller.release();
    }
    if (!this.view.pressed) this.latched = false;
    this.caller.press();
    this.set({ ...this.view, pressed: true, notice: '' });
    this.pressedAt = performance.now();
  }

  release(): void {
    if (!this.view.pressed) return;
    this.caller?.release();
    // A tap keeps the turn open until the next press.
    const wasTap = performance.now() - this.pressedAt < TAP_MS && !this.latched;
    this.latched = wasTap;
    if (!wasTap) this.set({ ...this.view, pressed: false });
  }

  takeFloor(floor: Floor): void {
    this.caller?.floor(floor);
    this.set({ ...this.view, floor, pressed: false });
  }

  async useDevices(devices: DeviceChoice): Promise<void> {
    const before = this.devices;
    this.devices = devices;
    this.set({ ...this.view });
    try {
      if (devices.input !== before.input) await this.sound?.useInput(devices.input);
      if (devices.output !== before.output) await this.sound?.useOutput(devices.output);
    } catch (error) {
      this.set({ ...this.view, trouble: troubleOf(error) });
    }
  }

  type(text: string): void {
    if (this.caller) this.caller.type(text);
    else this.early.push(text);
    this.set({ ...this.view, typed: [...this.view.typed, { text, atMs: this.nowMs() }] });
  }

  dismissTrouble(): void {
    this.set({ ...this.view, trouble: null });
  }

  end(): void {
    this.attempts++;
    this.leaving = true;
    this.caller?.leave();
    this.caller?.close();
    this.letGo();
    if (this.view.connection !== 'none') this.set({ ...this.view, connection: 'ended' });
  }

  private lost(code: number): void {
    this.letGo(code === GOODBYE ? LAST_WORDS_MS : 0);
    if (code === GOODBYE) this.set({ ...this.view, connection: 'ended', phase: 'resting' });
    if (this.leaving || this.view.connection === 'ended') return;
    const known = this.view.trouble;
    const trouble = known ?? {
      title: 'The connection to the service was lost',
      detail: 'the talk has ended; what was said is stored',
      remedy: 'Check that the service runs, then press the button again.',
    };
    this.set({ ...this.view, connection: 'lost', trouble });
  }

  private fail(error: unknown): void {
    this.letGo();
    const trouble = troubleOf(error);
    this.set({ ...this.view, connection: 'none', trouble });
  }

  /** The line and the devices; `lastWordsMs`: what was handed to the loudspeaker is still heard. */
  private letGo(lastWordsMs = 0): void {
    const { sound } = this;
    if (sound) setTimeout(() => sound.close(), lastWordsMs);
    this.sound = null;
    this.caller = null;
    this.meter = QUIET_READING;
  }

  private set(view: TalkView): void {
    this.view = view;
    for (const listener of this.listeners) listener();
  }
}

function troubleOf(error: unknown): Trouble {
  if (error instanceof MicrophoneTrouble)
    return { title: NO_MICROPHONE, detail: error.message, remedy: error.wayOut };
  if (error instanceof ServiceError) return error.problem;
  return { title: 'The talk could not begin', detail: String(error), remedy: 'Try again.' };
}
