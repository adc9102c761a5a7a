/**
 * The machine's microphone and loudspeaker as one device with one axis: the microphone drives, and for every
 * piece of its sound the loudspeaker gets a piece of the same length. A device that goes away is opened
 * again.
 */
import { spawn, type ChildProcess } from 'node:child_process';
import { ServiceError } from '@verbalon/client';
import { pcm16Bytes, pcm16FromBytes } from '@verbalon/core';
import { terminal } from './terminal.js';
import { captureProgram, playProgram, type SoundChoice } from './sound-programs.js';

/** A device that ends is opened again and again for so long, in ms. */
const GIVE_UP_AFTER_MS = 10_000;
const TRY_AGAIN_MS = 500;
/** A loudspeaker's program that lived this long did work, in ms. */
const LIVED_MS = 2_000;
/** More than this waiting for the loudspeaker means that its clock is slower: a piece is left out, in ms. */
const MOST_BEHIND_MS = 250;

export interface LiveSoundEvents {
  /** `samples` were captured; gives back as many samples to be played. */
  captured: (samples: Int16Array) => Int16Array;
  /** A device went away (and is tried again), or came back. */
  device: (what: string) => void;
  /** It cannot be had back. */
  failed: (error: ServiceError) => void;
}

export class LiveSound {
  private microphone: ChildProcess | null = null;
  private speaker: ChildProcess | null = null;
  private rest = Buffer.alloc(0);
  /** Since when a device is away; null while all is well. */
  private microphoneAwaySince: number | null = null;
  private speakerAwaySince: number | null = null;
  private hasCaptured = false;
  private isOver = false;

  /** @throws ServiceError `sound-program-missing` */
  constructor(
    private readonly rateHz: number,
    private readonly choice: SoundChoice,
    private readonly events: LiveSoundEvents,
  ) {
    this.openMicrophone();
    this.openSpeaker();
  }

  close(): void {
    this.isOver = true;
    this.microphone?.kill();
    this.speaker?.kill();
  }

  private openMicrophone(): void {
    const [program, args] = captureProgram(this.rateHz, this.choice.input);
    const microphone = spawn(program, args, { stdio: ['ignore', 'pipe', 'pipe'], env: terminal.env });
    this.microphone = microphone;
    let complaint = '';
    microphone.stderr
      .setEncoding('utf8')
      .on('data', (text: string) => (complaint = (complaint + text).slice(-500)));
    microphone.stdout.on('data', (bytes: Buffer) => this.take(bytes));
    microphone.once('error', (error) => (complaint = error.message));
    microphone.once('close', () => this.microphoneEnded(program, complaint.trim().split('\n').at(-1) ?? ''));
  }

  private microphoneEnded(program: string, complaint: string): void {
    if (this.isOver) return;
    const why = complaint === '' ? 'it ended without a reason' : complaint;
    if (this.microphoneAwaySince === null)
      this.events.device(`the microphone went away (${why}); it is opened again`);
    this.microphoneAwaySince ??= performance.now();
    if (!this.hasCaptured || performance.now() - this.microphoneAwaySince > GIVE_UP_AFTER_MS)
      return this.events.failed(microphoneSilent(`${program}: ${why}`));
    setTimeout(() => !this.isOver && this.openMicrophone(), TRY_AGAIN_MS);
  }

  private openSpeaker(): void {
    const [program, args] = playProgram(this.rateHz, this.choice.output);
    const speaker = spawn(program, args, { stdio: ['pipe', 'ignore', 'ignore'], env: terminal.env });
    this.speaker = speaker;
    speaker.stdin.on('error', () => undefined);
    speaker.once('error', () => undefined);
    const openedAt = performance.now();
    speaker.once('close', () => {
      if (this.isOver || !this.hasCaptured) return;
      if (performance.now() - openedAt > LIVED_MS) this.speakerAwaySince = null;
      if (this.speakerAwaySince === null) this.events.device('the loudspeaker went away; it is opened again');
      this.speakerAwaySince ??= performance.now();
      if (performance.now() - this.speakerAwaySince > GIVE_UP_AFTER_MS) return;
      setTimeout(() => !this.isOver && this.openSpeaker(), TRY_AGAIN_MS);
    });
  }

  private take(bytes: Buffer): void {
    const all = Buffer.concat([this.rest, bytes]);
    // An even number of samples: frames have a length that is a multiple of four bytes.
    const whole = all.length - (all.length % 4);
    this.rest = all.subarray(whole);
    if (whole === 0) return;
    this.hasCaptured = true;
    if (this.microphoneAwaySince !== null) this.events.device('the microphone is back');
    this.microphoneAwaySince = null;
    const out = this.events.captured(pcm16FromBytes(all.subarray(0, whole)));
    const stdin = this.speaker?.stdin;
    const behindMs = ((stdin?.writableLength ?? 0) / 2 / this.rateHz) * 1000;
    const isSilent = out.every((sample) => sample === 0);
    // Two clocks are never alike: what the slower loudspeaker cannot take is left out where nothing is said.
    if (behindMs > MOST_BEHIND_MS && isSilent) return;
    stdin?.write(pcm16Bytes(out));
  }
}

export function microphoneSilent(detail: string): ServiceError {
  return new ServiceError({
    code: 'microphone-silent',
    title: 'The microphone gives no sound',
    detail,
    remedy:
      'Plug one in, choose one with --input (verbalon sound lists them), allow it to this program, or use --from FILE.wav.',
  });
}
