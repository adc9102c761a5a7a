/**
 * Single turns without microphone or loudspeaker, as fast as they can go: the line "plays" every sound at
 * once. For tests and benches.
 */
import { HOUSE_RATE_HZ, samplesOfMs } from '@verbalon/core';
import type { Frame, ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { nodeSocket } from '@verbalon/client/node';
import { CallerEnd, type Loudspeaker } from '@verbalon/client';

/** After a saying, so that the end of the voice is heard, in ms. */
const SILENCE_MS = 1_300;
const PATIENCE_MS = 30_000;
/** Playing is reported so often, in samples. */
const REPORT_SAMPLES = HOUSE_RATE_HZ / 5;

/** What is typed, or said. */
export type What = { text: string } | { samples: Int16Array };

export interface QuickTurn {
  conversation: string;
  report: ServiceMessageOf<'turn'>['report'];
  messages: ServiceMessage[];
  /** From what was asked to the first sound's frame, in ms; null without one. */
  firstSoundMs: number | null;
}

export interface QuickOptions {
  assistant?: string;
  /** Asked for before the turn. */
  swap?: { role: 'stt' | 'llm' | 'tts'; engine: string };
  language?: { hears?: string; speaks?: string };
}

/** One turn in a talk of its own: typed, or said; the line plays everything at once. */
export function quickTurn(address: string, what: What, options: QuickOptions = {}): Promise<QuickTurn> {
  return new Promise((resolve, reject) => new Turn(what, options, resolve, reject).begin(address));
}

class Turn implements Loudspeaker {
  private readonly end: CallerEnd;
  private readonly messages: ServiceMessage[] = [];
  private readonly timer: NodeJS.Timeout;
  private askedMs = 0;
  private firstSoundMs: number | null = null;

  constructor(
    private readonly what: What,
    private readonly options: QuickOptions,
    private readonly resolve: (turn: QuickTurn) => void,
    private readonly reject: (error: Error) => void,
  ) {
    this.end = new CallerEnd(HOUSE_RATE_HZ, this, {
      message: (message) => this.take(message),
      closed: ({ reason }) => this.fail(reason || 'the line was closed'),
    });
    this.timer = setTimeout(() => this.fail(`no report within ${PATIENCE_MS} ms`), PATIENCE_MS);
  }

  begin(address: string): void {
    const { assistant } = this.options;
    const arrive = { line: 'web' as const, ...(assistant === undefined ? {} : { assistant }) };
    this.end.connect(address, nodeSocket(), arrive).catch(this.reject);
  }

  add({ from, epoch, firstSample, samples, last }: Frame): void {
    if (from !== 'assistant') return;
    this.firstSoundMs ??= performance.now() - this.askedMs;
    const sample = firstSample + samples.length;
    if (last || sample % REPORT_SAMPLES < samples.length)
      this.end.played({ speech: epoch, sample, capture: Math.max(1, this.end.captured) });
  }

  duck(): void {
    // Nobody listens.
  }

  unduck(): void {
    // Nobody listens.
  }

  flush(): void {
    // What came was played.
  }

  private take(message: ServiceMessage): void {
    const { swap, language } = this.options;
    this.messages.push(message);
    if (message.kind === 'admitted' && swap) this.end.send({ kind: 'swap', ...swap });
    else if (message.kind === 'admitted' && language) this.end.send({ kind: 'language', ...language });
    // Refused or not, the turn comes after it.
    const isDone = ['swapped', 'languageSet', 'trouble'].includes(message.kind) && this.askedMs === 0;
    if (swap || language ? isDone : message.kind === 'admitted') this.ask();
    if (message.kind === 'turn' && message.report.source !== 'greeting') this.done(message.report);
  }

  private ask(): void {
    this.askedMs = performance.now();
    if ('text' in this.what) return this.end.type(this.what.text);
    // The saying and silence after it, all at once.
    const { samples } = this.what;
    const before = samplesOfMs(300, HOUSE_RATE_HZ);
    const all = Int16Array.from(
      { length: before + samples.length + samplesOfMs(SILENCE_MS, HOUSE_RATE_HZ) },
      (_, i) => samples[i - before] ?? ((i * 7919) % 27) - 13,
    );
    const piece = samplesOfMs(200, HOUSE_RATE_HZ);
    for (let at = 0; at < all.length; at += piece) this.end.sendSound(all.slice(at, at + piece));
  }

  private done(report: QuickTurn['report']): void {
    const { messages, firstSoundMs } = this;
    clearTimeout(this.timer);
    this.end.close();
    const conversation = (messages[0] as ServiceMessageOf<'admitted'>).conversation;
    this.resolve({ conversation, report, messages, firstSoundMs });
  }

  private fail(why: string): void {
    clearTimeout(this.timer);
    this.end.close();
    this.reject(new Error(`${why}: ${this.messages.map(({ kind }) => kind).join(' ')}`));
  }
}
