/** One talk of this page: the line, the sound, and the view of it for React. */
import {
  emptyView,
  GOODBYE, HttpClient, Line, lineAddress, ServiceError, showMessage, showPlayed, type SocketLike, type TalkView, type Trouble,
} from '@verbalon/client'; // prettier-ignore
import { Meter, QUIET_READING, TAP_MS, toFloats, type MeterReading } from '@verbalon/core';
import { MicrophoneTrouble, SoundEnd, type DeviceChoice } from '../sound/sound-end.js';

/** What was handed to the loudspeaker has been heard after this, in ms. */
const LAST_WORDS_MS = 400;

export type Source = { kind: 'microphone' } | { kind: 'walker'; name: string } | { kind: 'typing' };

export class TalkSession {
  view: TalkView = emptyView;
  meter: MeterReading = QUIET_READING;
  private listeners = new Set<() => void>();
  private line: Line | null = null;
  private sound: SoundEnd | null = null;
  private captured = 0;
  private capturedAt = 0;
  private leaving = false;
  /** Talks that were begun or ended: what comes of an earlier one is let go. */
  private attempts = 0;
  private pressedAt = 0;
  private latched = false;
  devices: DeviceChoice = { input: '', output: '' };

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** Where the caller's axis stands, in ms, going on between two pieces of sound. */
  readonly nowMs = (): number => {
    if (!this.sound) return 0;
    return (this.captured * 1000) / this.sound.rateHz + Math.min(200, performance.now() - this.capturedAt);
  };

  async begin(source: Source, assistant: string | undefined, floor: 'open' | 'press'): Promise<void> {
    this.end();
    this.leaving = false;
    const attempt = ++this.attempts;
    this.set({ ...emptyView, connection: 'opening' });
    try {
      const what =
        source.kind === 'walker'
          ? await new HttpClient(location.origin).recording(source.name)
          : source.kind === 'microphone'
            ? 'microphone'
            : 'none';
      const sound = await SoundEnd.open(what, this.devices);
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
    floor: 'open' | 'press',
    attempt: number,
  ): Promise<void> {
    const line = await Line.connect(
      () => new WebSocket(lineAddress(location.origin)) as unknown as SocketLike,
      location.origin,
      {
        line: source.kind === 'walker' ? 'recording' : 'web',
        audio: { encoding: 's16le', rateHz: sound.rateHz },
        // A recording hears no loudspeaker.
        echo: source.kind === 'walker' ? 'none' : 'some',
        language: navigator.language,
        // A recorded walker has no finger for a key.
        floor: source.kind === 'walker' ? 'open' : floor,
        ...(assistant === undefined ? {} : { assistant }),
      },
      {
        message: (message) => {
          if (attempt !== this.attempts) return;
          if (message.kind === 'admitted')
            sound.ducksByItself(message.interrupt !== 'key' && message.floor === 'open');
          if (message.kind === 'duck') sound.duck();
          if (message.kind === 'unduck') sound.unduck();
          if (message.kind === 'hush') sound.flush();
          this.set(showMessage(this.view, message));
          if (message.kind === 'state' && message.state !== 'listening' && this.view.pressed)
            this.set({ ...this.view, pressed: false });
        },
        sound: (frame) => sound.play(frame),
        connection: (state) =>
          attempt === this.attempts &&
          this.set({ ...this.view, connection: state === 'lost' ? 'away' : 'open' }),
        // An old line's end is nothing to a new talk.
        closed: ({ code }) => attempt === this.attempts && this.lost(code),
      },
    );
    if (attempt !== this.attempts) {
      line.leave();
      return line.close();
    }
    this.line = line;
    const meter = new Meter(sound.rateHz);
    sound.start({
      captured: (firstSample, samples) => {
        this.line?.sendSound(firstSample, samples);
        this.captured = firstSample + samples.length;
        this.capturedAt = performance.now();
        this.meter = meter.read(toFloats(samples));
      },
      played: (report) => {
        this.line?.send({ kind: 'played', ...report });
        const ms = (count: number) => (count * 1000) / sound.rateHz;
        this.set(showPlayed(this.view, report.speech, ms(report.sample), ms(report.capture)));
      },
      ducked: (capture) => this.line?.send({ kind: 'ducked', capture }),
      device: (words) => this.set({ ...this.view, notice: words }),
      recordingOver: () =>
        this.set({ ...this.view, notice: 'The walker’s recording is over. You can still type.' }),
    });
  }

  /** Another engine is to serve from now on. */
  swap(role: 'stt' | 'llm' | 'tts', engine: string): void {
    this.line?.send({ kind: 'swap', role, engine });
  }

  /** She is to hear, or to speak, another language from now on. */
  setLanguage(language: { hears?: string; speaks?: string }): void {
    this.line?.send({ kind: 'language', ...language });
  }

  hush(): void {
    this.line?.send({ kind: 'hush' });
  }

  fresh(): void {
    this.line?.send({ kind: 'fresh' });
  }

  /** The key of push-to-talk, held or tapped: the service tells which. */
  press(): void {
    if (this.view.connection !== 'open' || !this.line) return;
    if (!this.view.pressed) this.latched = false;
    this.line.send({ kind: 'press', capture: this.captured });
    this.set({ ...this.view, pressed: true, notice: '' });
    this.pressedAt = performance.now();
  }

  release(): void {
    if (!this.view.pressed) return;
    this.line?.send({ kind: 'release', capture: this.captured });
    // A tap keeps the turn open until the next press.
    const wasTap = performance.now() - this.pressedAt < TAP_MS && !this.latched;
    this.latched = wasTap;
    if (!wasTap) this.set({ ...this.view, pressed: false });
  }

  takeFloor(floor: 'open' | 'press'): void {
    this.line?.send({ kind: 'floor', floor });
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
    this.line?.send({ kind: 'typed', text });
    this.set({ ...this.view, typed: [...this.view.typed, { text, atMs: this.nowMs() }] });
  }

  dismissTrouble(): void {
    this.set({ ...this.view, trouble: null });
  }

  end(): void {
    this.attempts++;
    this.leaving = true;
    this.line?.leave();
    this.line?.close();
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
    this.line = null;
    this.captured = 0;
    this.meter = QUIET_READING;
  }

  private set(view: TalkView): void {
    this.view = view;
    for (const listener of this.listeners) listener();
  }
}

function troubleOf(error: unknown): Trouble {
  if (error instanceof MicrophoneTrouble)
    return { title: 'No microphone', detail: error.message, remedy: error.wayOut };
  if (error instanceof ServiceError) return error.problem;
  return { title: 'The talk could not begin', detail: String(error), remedy: 'Try again.' };
}
