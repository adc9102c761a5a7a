/**
 * A caller made of a recording: speaks it in real time, hears the assistant as a loudspeaker would play it,
 * and keeps both sides as they really were, on the caller's axis.
 */
import { joinPcm16, mixDown, Playout, readWav, toPcm16, type Phase, type Floor } from '@verbalon/core';
import type { CallerMessageOf, ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { CallerEnd } from './caller-end.js';
import { CuedSpeech, type Cue } from './cued-speech.js';
import { GOODBYE } from './line.js';
import { nodeSocket } from './node-socket.js';

const TICK_MS = 20;
/** So much of an answer is played before it counts as one that is being heard, in ms. */
const HEARD_MS = 500;
/** After the recording is over the line stays open at least so long: the ear must notice the end, in ms. */
const LEAST_AFTER_MS = 700;

export interface RecordedCallOptions {
  address: string;
  /** For a service that asks for one. */
  key?: string | undefined;
  assistant?: string | undefined;
  purpose?: 'talk' | 'listen';
  line?: CallerMessageOf<'arrive'>['line'];
  recording: Uint8Array;
  cues?: readonly Cue[];
  onMessage?: (message: ServiceMessage) => void;
  /** Called when the line is open, with a way to press the hush key, type, and so on. */
  onOpen?: (end: CallerEnd) => void;
  onPlayed?: (speech: number, playedMs: number, atMs: number) => void;
  /** @param recordingMs how much of the recording has been spoken, with this */
  onSound?: (samples: Int16Array, rateHz: number, recordingMs: number) => void;
  floor?: Floor | undefined;
  signal?: AbortSignal;
}

export interface RecordedCall {
  conversation: string;
  rateHz: number;
  /** What was sent and what was played, sample by sample on the caller's axis. */
  caller: Int16Array;
  assistant: Int16Array;
  /**
   * A moment of the recording on the caller's axis, in ms: later than in the recording by what was waited for
   * cues.
   */
  axisMs: (recordingMs: number) => number;
  messages: ServiceMessage[];
  reports: ServiceMessageOf<'turn'>['report'][];
  /** Why it ended before its time; null for a call that went to its end. */
  cutOff: string | null;
}

/** Is something still to come? Follows the messages of a talk. */
export class Expectation {
  private phase: Phase = 'listening';
  private open = 0;

  take(message: ServiceMessage): void {
    if (message.kind === 'state') this.phase = message.state;
    if (message.kind === 'voice' && message.change === 'began') this.open++;
    const isTurn = message.kind === 'turn' && message.report.source === 'voice';
    if (isTurn || message.kind === 'unheard' || message.kind === 'unduck') this.open = 0;
  }

  get isNothing(): boolean {
    return this.open === 0 && (this.phase === 'listening' || this.phase === 'resting');
  }
}

class WordsExpectation extends Expectation {
  private segments = 0;

  override take(message: ServiceMessage): void {
    if (message.kind === 'voice' && message.change === 'began') this.segments++;
    if (message.kind === 'final') this.segments--;
  }

  override get isNothing(): boolean {
    return this.segments === 0;
  }
}

/** @throws Fault for a recording that cannot be read, ServiceError when no service answers */
export async function callWithRecording(options: RecordedCallOptions): Promise<RecordedCall> {
  const { rateHz, channels } = readWav(options.recording);
  const speech = toPcm16(mixDown(channels));
  const call = new LiveCall(options, rateHz, speech);
  return call.run();
}

class LiveCall {
  private readonly messages: ServiceMessage[] = [];
  private readonly sent: Int16Array[] = [];
  private readonly heard: Int16Array[] = [];
  private readonly tick: number;
  private readonly expectation: Expectation;
  private readonly playout: Playout;
  private readonly end: CallerEnd;
  private readonly speech: CuedSpeech;
  /** For how long the assistant has been heard without a gap. */
  private heardMs = 0;
  private cutOff: string | null = null;
  /** The assistant has ended the talk, after a goodbye. */
  private isDone = false;

  constructor(
    private readonly options: RecordedCallOptions,
    private readonly rateHz: number,
    speech: Int16Array,
  ) {
    this.tick = 2 * Math.round((TICK_MS * rateHz) / 2000);
    this.speech = new CuedSpeech(speech, rateHz, options.cues ?? []);
    this.expectation = options.purpose === 'listen' ? new WordsExpectation() : new Expectation();
    this.playout = new Playout(rateHz, (report) => this.end.played(report));
    this.end = new CallerEnd(rateHz, this.playout, {
      message: (message) => this.take(message),
      played: options.onPlayed,
      closed: ({ reason, clean, code }) => {
        if (code === GOODBYE) this.isDone = true;
        else this.cutOff ??= reason || (clean ? 'the line was closed' : 'the connection was lost');
      },
    });
  }

  async run(): Promise<RecordedCall> {
    const { address, assistant, purpose, line, floor } = this.options;
    await this.end.connect(address, nodeSocket(this.options.key), {
      line: line ?? 'recording',
      echo: 'none',
      ...(assistant === undefined ? {} : { assistant }),
      ...(purpose === undefined ? {} : { purpose }),
      ...(floor === undefined ? {} : { floor }),
    });
    this.options.onOpen?.(this.end);
    await this.speakAndHear();
    const { cutOff } = this;
    this.end.leave();
    return this.result(cutOff);
  }

  private take(message: ServiceMessage): void {
    this.messages.push(message);
    this.expectation.take(message);
    this.options.onMessage?.(message);
  }

  /**
   * A frame every tick, by the clock: what a microphone has captured goes out, what a speaker needs comes in.
   */
  private async speakAndHear(): Promise<void> {
    const start = performance.now();
    while (!this.isOver()) {
      const dueMs = start + ((this.end.captured + this.tick) * 1000) / this.rateHz;
      await new Promise((done) => setTimeout(done, Math.max(0, dueMs - performance.now())));
      const frame = this.speech.tick(this.tick, (until) => this.isSo(until));
      this.sent.push(frame);
      this.end.sendSound(frame);
      this.options.onSound?.(frame, this.rateHz, this.speech.spokenMs);
      this.heard.push(toPcm16(this.playout.pull(this.tick, this.end.captured)));
      this.heardMs = this.playout.busy ? this.heardMs + TICK_MS : 0;
    }
  }

  private isSo(until: Cue['until']): boolean {
    if (until === 'speaking') return this.heardMs >= HEARD_MS;
    return this.expectation.isNothing && !this.playout.busy;
  }

  private isOver(): boolean {
    if (this.cutOff !== null || this.isDone || this.options.signal?.aborted) return true;
    return this.speech.overForMs > LEAST_AFTER_MS && this.isSo('silent');
  }

  private result(cutOff: string | null): RecordedCall {
    const admitted = this.messages.find((message) => message.kind === 'admitted');
    return {
      conversation: admitted?.conversation ?? '',
      rateHz: this.rateHz,
      caller: joinPcm16(this.sent),
      // What was pulled at a tick sounds after the frame that went out at it, hence the lead.
      assistant: joinPcm16([new Int16Array(this.tick), ...this.heard]),
      axisMs: (recordingMs) => this.speech.axisMs(recordingMs),
      messages: this.messages,
      reports: this.messages.flatMap((message) => (message.kind === 'turn' ? [message.report] : [])),
      cutOff,
    };
  }
}
