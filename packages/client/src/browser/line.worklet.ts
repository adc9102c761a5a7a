/**
 * One clock for both directions: what the microphone (or a recording in its place) gives goes out in pieces
 * of 20 ms, what the assistant says is played, and the place of every sample is known on the same axis.
 */
import { LocalDuck } from '../local-duck.js';
import { Playout, toPcm16, type PlayedReport, type SpeechPart } from '@verbalon/core';

const PIECE_MS = 20;

export type ToWorklet =
  | { kind: 'start'; latencySamples: number; recording: Float32Array | null }
  /** The output's latency has changed: another device, or one without a wire. */
  | { kind: 'latency'; latencySamples: number }
  | { kind: 'sound'; from: SpeechPart['from']; epoch: number; samples: Int16Array; last: boolean }
  | { kind: 'duck' }
  | { kind: 'unduck' }
  | { kind: 'ducksByItself'; on: boolean }
  | { kind: 'flush' };

export type FromWorklet =
  | { kind: 'captured'; firstSample: number; samples: Int16Array }
  | { kind: 'played'; report: PlayedReport }
  /** A voice was heard here, and the assistant was ducked before anybody said so. */
  | { kind: 'ducked'; capture: number }
  | { kind: 'recordingOver' };

declare const sampleRate: number;
declare function registerProcessor(name: string, processor: unknown): void;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
}

class LineProcessor extends AudioWorkletProcessor {
  private readonly piece = new Float32Array(2 * Math.round((PIECE_MS * sampleRate) / 2000));
  private readonly playout = new Playout(sampleRate, (report) => this.tell({ kind: 'played', report }));
  private readonly duck = new LocalDuck(this.playout, sampleRate, (capture) =>
    this.tell({ kind: 'ducked', capture }),
  );
  private ducks = false;
  private filled = 0;
  private captured = 0;
  private started = false;
  private latencySamples = 0;
  private recording: Float32Array | null = null;

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<ToWorklet>) => this.take(data);
  }

  private tell(message: FromWorklet): void {
    this.port.postMessage(message);
  }

  private take(message: ToWorklet): void {
    switch (message.kind) {
      case 'start':
        this.started = true;
        this.latencySamples = message.latencySamples;
        this.recording = message.recording;
        return;
      case 'latency':
        this.latencySamples = message.latencySamples;
        return;
      case 'sound':
        return this.playout.add(message);
      case 'flush':
        return this.playout.flush(this.captured + this.filled);
      case 'ducksByItself':
        this.ducks = message.on;
        return;
      default:
        return this.duck.told(message.kind);
    }
  }

  process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const out = outputs[0]?.[0];
    if (!this.started || !out) return true;
    const at = this.captured + this.filled;
    // Without a microphone (it was pulled out, another is being opened) there is silence, and the axis goes
    // on.
    const heard = this.recording
      ? this.recorded(at, out.length)
      : (inputs[0]?.[0] ?? new Float32Array(out.length));
    this.capture(heard);
    const played = this.playout.pull(out.length, at + this.latencySamples);
    if (this.ducks) this.duck.hear(heard, played, at);
    for (const channel of outputs[0]!) channel.set(played);
    return true;
  }

  private recorded(at: number, count: number): Float32Array {
    const samples = new Float32Array(count);
    const { recording } = this;
    if (!recording) return samples;
    samples.set(recording.subarray(at, at + count));
    if (at < recording.length && at + count >= recording.length) this.tell({ kind: 'recordingOver' });
    return samples;
  }

  private capture(samples: Float32Array): void {
    for (let at = 0; at < samples.length;) {
      const part = samples.subarray(at, at + this.piece.length - this.filled);
      this.piece.set(part, this.filled);
      this.filled += part.length;
      at += part.length;
      if (this.filled < this.piece.length) return;
      this.tell({ kind: 'captured', firstSample: this.captured, samples: toPcm16(this.piece) });
      this.captured += this.piece.length;
      this.filled = 0;
    }
  }
}

registerProcessor('verbalon-line', LineProcessor);
