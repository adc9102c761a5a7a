/**
 * The assistant's voice in a talk: phrases become sound, and the sound goes to the line in the order in which
 * it is to be played.
 */
import {
  estimateWordTimes,
  HOUSE_RATE_HZ,
  KEPT_SOUND,
  msOfSamples,
  Resampler,
  samplesOfMs,
  toFloats,
  toPcm16,
  type OrderOf,
  type WordTime,
} from '@verbalon/core';
import { EngineFault, type TtsEvent, type TtsRequest } from '@verbalon/engines';
import { troubleOf, type TalkContext } from './context.js';
import type { HeardLane } from './heard-lane.js';
import type { Pacer } from './pacer.js';
import { voiceFor } from './voice.js';

/**
 * How long a letter sounds, about, in ms: for phrases of which not all has come and whose words have no
 * times.
 */
const LETTER_MS = 65;

/** What there is of a phrase. */
interface Sounded {
  count: number;
  words: WordTime[];
}

export class Speaking {
  private readonly running = new Map<number, AbortController>();
  private readonly sounded = new Map<number, Sounded>();
  /** Sound of phrases that came before they were ordered to be played. */
  private readonly ready = new Map<number, { samples: Int16Array; complete: boolean }[]>();
  private readonly playing = new Set<number>();

  constructor(
    private readonly talk: TalkContext,
    private readonly pacer: Pacer,
    private readonly lane: HeardLane,
  ) {}

  async synthesise(order: OrderOf<'synthesise'>): Promise<void> {
    const { speech, engine, alone, language, keep } = order;
    const { talk } = this;
    const abort = new AbortController();
    this.running.set(speech, abort);
    let failed = false;
    const text = await talk.stages.spoken(order.text);
    const request = {
      text,
      alone,
      language,
      stay: talk.stay,
      voice: engine === KEPT_SOUND ? talk.voice : voiceFor(talk.engines, engine, talk.voice, order.rate),
    };
    const kept = talk.phrases.find(engine, request);
    try {
      if (abort.signal.aborted) return;
      const clip =
        text === '' ? [] : kept ? [kept] : this.engineClip(engine, { ...request, signal: abort.signal });
      await this.sound(order, text, clip, this.before(speech, keep), abort.signal);
    } catch (error) {
      failed = true;
      if (!abort.signal.aborted)
        talk.happen({ kind: 'synthesisTrouble', speech, ...troubleOf(error, talk.log) });
    } finally {
      if (this.running.get(speech) === abort) this.running.delete(speech);
      if (engine !== KEPT_SOUND && text !== '') {
        const waste = abort.signal.aborted ? 'cancelled' : failed ? 'failed' : null;
        talk.spending.add('tts', engine, { characters: text.length, requests: 1 }, waste, kept !== null);
      }
    }
  }

  private async *engineClip(engine: string, request: TtsRequest): AsyncIterable<TtsEvent> {
    if (engine === KEPT_SOUND)
      throw new EngineFault('engine-down', 'no voice is left, and there is no recording of this text');
    const all: TtsEvent[] = [];
    for await (const event of this.talk.engines.of('tts', engine).speak(request)) {
      all.push(event);
      yield event;
    }
    if (!request.signal.aborted) this.talk.phrases.keep(engine, request, all);
  }

  /** What stays of the sound that there is already. */
  private before(speech: number, keep: OrderOf<'synthesise'>['keep']): Sounded {
    const sounded = this.sounded.get(speech) ?? { count: 0, words: [] };
    if (sounded.count === 0) return sounded;
    const kept = Math.max(samplesOfMs(keep.ms, HOUSE_RATE_HZ), this.cut(speech, keep.ms));
    const keptMs = msOfSamples(kept, HOUSE_RATE_HZ);
    const words = sounded.words.slice(0, keep.words);
    return { count: kept, words: words.map(({ word, endMs }) => ({ word, endMs: Math.min(endMs, keptMs) })) };
  }

  private async sound(
    { speech, pauseMs }: OrderOf<'synthesise'>,
    text: string,
    clip: AsyncIterable<TtsEvent> | Iterable<TtsEvent>,
    before: Sounded,
    signal: AbortSignal,
  ): Promise<void> {
    const resampler = new Resampler(HOUSE_RATE_HZ, this.talk.rateHz);
    const from = before.count;
    const beforeMs = msOfSamples(from, HOUSE_RATE_HZ);
    let count = from;
    let words: WordTime[] | null = null;
    const tell = (done: boolean) => {
      const newMs = msOfSamples(count - from, HOUSE_RATE_HZ);
      const known = words ?? estimateWordTimes(text, done ? newMs : Math.max(newMs, text.length * LETTER_MS));
      const all = [
        ...before.words,
        ...known.map(({ word, endMs }) => ({ word, endMs: Math.floor(endMs + beforeMs) })),
      ];
      this.sounded.set(speech, { count, words: all });
      const audioMs = msOfSamples(count, HOUSE_RATE_HZ);
      this.talk.happen({ kind: 'audio', speech, audioMs, words: all, estimated: words === null, done });
    };
    for await (const event of clip) {
      if (signal.aborted) return;
      count += event.samples.length;
      words = event.words ?? words;
      this.lane.add(speech, event.samples);
      tell(false);
      this.offer(speech, toPcm16(resampler.push(toFloats(event.samples))), false);
    }
    if (signal.aborted) return;
    const pause = new Int16Array(count > 0 ? samplesOfMs(pauseMs, HOUSE_RATE_HZ) : 0);
    count += pause.length;
    this.lane.add(speech, pause);
    const tail = [resampler.push(toFloats(pause)), resampler.flush()];
    tell(true);
    tail.forEach((floats, i) => this.offer(speech, toPcm16(floats), i === tail.length - 1));
    this.sounded.delete(speech);
  }

  /**
   * Takes back what of a phrase was not sent and lies after `atMs`. @returns what stays, in samples at the
   * house rate
   */
  private cut(speech: number, atMs: number): number {
    const { rateHz } = this.talk;
    const at = samplesOfMs(atMs, rateHz);
    const waiting = this.ready.get(speech);
    let stays = at;
    if (waiting && !this.playing.has(speech)) {
      let left = at;
      const parts = waiting.map(({ samples }) => {
        const part = samples.subarray(0, Math.max(0, left));
        left -= samples.length;
        return { samples: part, complete: false };
      });
      this.ready.set(speech, parts);
    } else stays = this.pacer.cut(speech, at);
    const kept = Math.round((stays * HOUSE_RATE_HZ) / rateHz);
    this.lane.cut(speech, kept);
    return kept;
  }

  drop(speech: number): void {
    this.running.get(speech)?.abort();
    this.running.delete(speech);
    // What is being played is heard to where it is hushed; what was never begun is not wanted any more.
    if (this.playing.has(speech)) return;
    this.ready.delete(speech);
    this.sounded.delete(speech);
    this.lane.forget(speech);
  }

  /** Sound of a phrase: to the line if it is its turn, else it waits for the order. */
  private offer(speech: number, samples: Int16Array, complete: boolean): void {
    if (this.playing.has(speech)) return this.pacer.add(speech, samples, complete);
    const parts = this.ready.get(speech) ?? [];
    parts.push({ samples, complete });
    this.ready.set(speech, parts);
  }

  play(speech: number): void {
    this.playing.add(speech);
    this.pacer.play(speech);
    for (const { samples, complete } of this.ready.get(speech) ?? [])
      this.pacer.add(speech, samples, complete);
    this.ready.delete(speech);
  }

  hush(): void {
    this.pacer.stop();
    this.ready.clear();
    this.playing.clear();
    this.lane.hush();
  }

  end(): void {
    this.pacer.stop();
    for (const speech of [...this.running.keys()]) this.drop(speech);
  }
}
