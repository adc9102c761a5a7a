/** A synthesiser that is described by its card. */
import {
  HOUSE_RATE_HZ,
  joinPcm16,
  levelDb,
  msOfSamples,
  samplesOfMs,
  toFloats,
  type WordTime,
} from '@verbalon/core';
import type { WiredCard } from '@verbalon/protocol';
import { EngineFault, type TtsEngine, type TtsEvent, type TtsRequest } from '../common/contract.js';
import { MARGIN_MS, SILENCE_FLOOR_DB } from '../common/silence.js';
import { warmUnpacking, useUnpacking } from '../decoding/unpack.js';
import { CardedEngine, type CardOptions } from './carded.js';
import type { Incoming } from './exchange.js';
import { Reader } from './reader.js';
import { SoundIn } from './sound.js';

type SpeakingCard = Extract<WiredCard, { role: 'tts' }>;

const STEP_MS = 5;
/** Sound that needs no decoder. */
const PLAIN = new Set(['pcm16', 'mulaw', 'alaw', 'wav']);
/** No phrase is longer. */
const MOST_SOUND_MS = 120_000;

export class CardedSpeaking extends CardedEngine<SpeakingCard> implements TtsEngine {
  readonly role = 'tts';

  /** Gives back its share of the hosts that unpack sound; null where its sound is plain. */
  private readonly leaveUnpacking: (() => Promise<void>) | null;

  constructor(options: CardOptions<SpeakingCard>) {
    super(options);
    const { encoding = 'pcm16' } = options.card.receive;
    this.leaveUnpacking = PLAIN.has(encoding) ? null : useUnpacking();
  }

  override async warm(): Promise<void> {
    await Promise.all([super.warm(), this.leaveUnpacking && warmUnpacking()]);
  }

  override async close(): Promise<void> {
    await Promise.all([super.close(), this.leaveUnpacking?.()]);
  }

  get voices(): readonly string[] {
    return Object.keys(this.options.card.voices);
  }

  /** It is not known how such an engine says a word. */
  pronounce(): Promise<Record<string, string>> {
    return Promise.resolve({});
  }

  async *speak({ signal, ...request }: TtsRequest): AsyncIterable<TtsEvent> {
    const abort = new AbortController();
    const both = AbortSignal.any([signal, abort.signal]);
    try {
      yield* this.clip(request, both);
    } catch (error) {
      if (!signal.aborted) throw this.told(error);
    } finally {
      abort.abort();
    }
  }

  private async *clip(
    { text, voice, language, talk }: Omit<TtsRequest, 'signal'>,
    signal: AbortSignal,
  ): AsyncIterable<TtsEvent> {
    const { card } = this.options;
    const name =
      voice.name !== undefined && Object.hasOwn(card.voices, voice.name) ? voice.name : this.voices[0]!;
    const { rate = 1, pitchHz, volume = 1 } = voice;
    const own = {
      text,
      language,
      talk,
      voice: card.voices[name],
      rate,
      ratePercent: Math.round(rate * 100),
      pitchHz,
      volume,
    };
    const sound = new SoundIn(this.name, card.receive);
    const reader = new Reader(this.name, card.receive, this.hide);
    const trim = new Trim(volume);
    const words: WordTime[] = [];
    const event = (samples: Int16Array): TtsEvent[] =>
      samples.length === 0
        ? []
        : [{ kind: 'audio', samples, words: words.length === 0 ? null : trim.moved(words) }];
    void this.read(this.answerTo(own, signal), reader, sound, words, signal);
    try {
      for await (const samples of sound) {
        yield* event(trim.push(samples));
        if (trim.givenMs > MOST_SOUND_MS)
          throw new EngineFault('engine-garbled', `${this.name} does not end its sound`);
      }
    } finally {
      sound.close();
    }
    if (signal.aborted) return;
    const rest = trim.flush();
    // The last word ends where the sound does: the silence after it is gone.
    const last = trim
      .moved(words)
      .map(({ word, endMs }) => ({ word, endMs: Math.min(endMs, Math.floor(trim.givenMs)) }));
    if (trim.givenMs > 0) yield { kind: 'audio', samples: rest, words: words.length === 0 ? null : last };
    if (trim.givenMs === 0) throw card.receive.form === 'sound' ? silent(this.name) : reader.nothing('sound');
    this.answered();
  }

  /** Reads the answer into the sound and the words that it holds. */
  private async read(
    answer: AsyncIterable<Incoming>,
    reader: Reader,
    sound: SoundIn,
    words: WordTime[],
    signal: AbortSignal,
  ): Promise<void> {
    const rules = this.options.card.receive.read ?? [];
    let ended = false;
    try {
      for await (const incoming of answer) {
        const found = 'bytes' in incoming ? [] : incoming.texts.flatMap((text) => reader.read(text));
        if ('bytes' in incoming) sound.push(incoming.bytes);
        for (const one of found) {
          if (one.kind === 'words') words.push(...one.words);
          if (one.kind === 'sound') sound.push(one.bytes);
        }
        ended = found.some(({ kind }) => kind === 'end');
        if (ended) break;
      }
      if (!ended && !signal.aborted && rules.some((rule) => rule.end))
        throw new EngineFault(
          'engine-down',
          `${this.name} closed the connection before its sound was complete`,
        );
      sound.end();
    } catch (error) {
      sound.fail(error as Error);
    }
  }
}

const silent = (name: string) => new EngineFault('engine-garbled', `${name} sent no sound that can be heard`);

/** Leaves out the silence at both ends of a clip while it comes. */
class Trim {
  private begun = false;
  private waiting: Int16Array = new Int16Array(0);
  private cutMs = 0;
  private given = 0;

  constructor(private readonly volume: number) {}

  get givenMs(): number {
    return msOfSamples(this.given, HOUSE_RATE_HZ);
  }

  push(samples: Int16Array): Int16Array {
    const all = joinPcm16([
      this.waiting,
      this.volume === 1
        ? samples
        : samples.map((one) => Math.max(-32768, Math.min(32767, one * this.volume))),
    ]);
    const step = samplesOfMs(STEP_MS, HOUSE_RATE_HZ);
    const margin = samplesOfMs(MARGIN_MS, HOUSE_RATE_HZ);
    let from = this.begun ? 0 : -1;
    let to = 0;
    for (let at = 0; at + step <= all.length; at += step) {
      if (levelDb(toFloats(all.subarray(at, at + step))) <= SILENCE_FLOOR_DB) continue;
      if (from < 0) from = Math.max(0, at - margin);
      to = at + step;
    }
    if (from < 0) {
      // All silence so far: only the margin may still be needed.
      const keep = Math.min(all.length, margin + step);
      this.cutMs += msOfSamples(all.length - keep, HOUSE_RATE_HZ);
      this.waiting = all.slice(all.length - keep);
      return new Int16Array(0);
    }
    if (!this.begun) this.cutMs += msOfSamples(from, HOUSE_RATE_HZ);
    this.begun = true;
    to = Math.max(to, from);
    this.waiting = all.slice(to);
    return this.give(all.slice(from, to));
  }

  /** What is left but for the silence. */
  flush(): Int16Array {
    return this.begun
      ? this.give(this.waiting.slice(0, samplesOfMs(MARGIN_MS, HOUSE_RATE_HZ)))
      : new Int16Array(0);
  }

  /** Word times on the axis of what is given. */
  moved(words: readonly WordTime[]): WordTime[] {
    return words.map(({ word, endMs }) => ({ word, endMs: Math.max(0, Math.round(endMs - this.cutMs)) }));
  }

  private give(samples: Int16Array): Int16Array {
    this.given += samples.length;
    return samples;
  }
}
