/**
 * What the ear and the local recogniser make of a sound, with the time at which each thing would be known:
 * the recogniser runs faster than real time, and what it found is kept, so that all ways of taking turns are
 * tried on the same hearing.
 */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import {
  Ear,
  HOUSE_RATE_HZ,
  NARROW_RATE_HZ,
  PRE_ROLL_MS,
  samplesOfMs,
  TAIL_MS,
  toFloats,
  type EarEvent,
  type HeardWord,
} from '@verbalon/core';
import { PocketSphinxEngine, withPhones, type HearingProfile } from '@verbalon/engines';
import type { Condition } from './set.js';

/** Sound comes in packets of this length. */
const PACKET_MS = 20;
/** The recogniser takes its sound in pieces of this length. */
const PIECE_MS = 40;
/**
 * A partial is known so long after the sound it rests on was captured (half of a piece decoding): measured.
 */
const PARTIAL_LATE_MS = 30;

export interface Stretch {
  fromMs: number;
  toMs: number;
  partials: { atMs: number; words: HeardWord[] }[];
  final: HeardWord[];
}

export interface Heard {
  lengthMs: number;
  events: { atMs: number; event: EarEvent }[];
  stretches: Stretch[];
}

/** `ear`: another ear than the plain one, such as one with an echo guard. */
export function earEvents(samples: Int16Array, hear: (packet: Float32Array) => EarEvent[]): Heard['events'] {
  const packet = samplesOfMs(PACKET_MS, HOUSE_RATE_HZ);
  const events: Heard['events'] = [];
  for (let at = 0; at + packet <= samples.length; at += packet) {
    const atMs = ((at + packet) * 1000) / HOUSE_RATE_HZ;
    for (const event of hear(toFloats(samples.subarray(at, at + packet)))) events.push({ atMs, event });
  }
  return events;
}

export class Recogniser {
  private readonly stt = new PocketSphinxEngine({
    name: 'ears',
    title: 'ears',
    languages: ['en'],
    hosts: 2,
    workFolder: '/tmp/verbalon-bench-models',
  });
  private readonly file = fileURLToPath(new URL('../../results/heard.json', import.meta.url));
  private readonly known: Record<string, Omit<Stretch, 'fromMs' | 'toMs'>>;
  private changed = 0;

  constructor(private readonly profile: HearingProfile | null) {
    this.known = existsSync(this.file)
      ? (JSON.parse(readFileSync(this.file, 'utf8')) as typeof this.known)
      : {};
  }

  async warm(): Promise<void> {
    await this.stt.warm();
    if (this.profile) await this.stt.prepare(this.profile);
  }

  close(): Promise<void> {
    this.keep();
    return this.stt.close();
  }

  private keep(): void {
    mkdirSync(dirname(this.file), { recursive: true });
    writeFileSync(this.file, JSON.stringify(this.known));
    this.changed = 0;
  }

  /** @param narrow the sound came over a line of 8 kHz */
  async hear(
    samples: Int16Array,
    events?: Heard['events'],
    preRollMs = PRE_ROLL_MS,
    narrow = false,
  ): Promise<Heard> {
    const ear = new Ear();
    const found = events ?? earEvents(samples, (packet) => ear.hear(packet));
    const lengthMs = (samples.length * 1000) / HOUSE_RATE_HZ;
    const stretches: Stretch[] = [];
    let fromMs: number | null = null;
    const end = async (toMs: number) => {
      if (fromMs === null) return;
      stretches.push(await this.recognise(samples, fromMs, Math.min(lengthMs, toMs), narrow));
      fromMs = null;
    };
    for (const { event } of found) {
      if (event.kind === 'voiceBegan')
        fromMs = Math.max(0, stretches.at(-1)?.toMs ?? 0, event.atMs - preRollMs);
      if (event.kind === 'voiceEnded') await end(event.atMs + TAIL_MS);
    }
    await end(lengthMs);
    return { lengthMs, events: found, stretches };
  }

  private async recognise(
    samples: Int16Array,
    fromMs: number,
    toMs: number,
    narrow: boolean,
  ): Promise<Stretch> {
    const sound = samples.slice(samplesOfMs(fromMs, HOUSE_RATE_HZ), samplesOfMs(toMs, HOUSE_RATE_HZ));
    const key = createHash('sha1')
      .update(`${this.profile?.key ?? ''}${narrow ? ' with an upper band' : ''}`)
      .update(sound)
      .digest('hex');
    const found = this.known[key] ?? (await this.decode(sound, narrow));
    if (!Object.hasOwn(this.known, key)) {
      this.known[key] = found;
      if (++this.changed >= 200) this.keep();
    }
    const moved = (words: HeardWord[]) =>
      words.map((word) => ({ ...word, fromMs: word.fromMs + fromMs, toMs: word.toMs + fromMs }));
    return {
      fromMs,
      toMs,
      partials: found.partials.map(({ atMs, words }) => ({
        atMs: atMs + fromMs + PARTIAL_LATE_MS,
        words: moved(words),
      })),
      final: withPhones(moved(found.final), this.profile?.pronunciations ?? {}),
    };
  }

  private async decode(sound: Int16Array, narrow: boolean): Promise<Omit<Stretch, 'fromMs' | 'toMs'>> {
    const signal = new AbortController().signal;
    const stream = this.stt.open({
      language: 'en',
      profile: this.profile,
      talk: 'bench',
      narrow,
      stay: null,
      signal,
    });
    const piece = samplesOfMs(PIECE_MS, HOUSE_RATE_HZ);
    for (let at = 0; at < sound.length; at += piece) stream.push(sound.slice(at, at + piece));
    stream.finish();
    const partials: Stretch['partials'] = [];
    let final: HeardWord[] = [];
    for await (const event of stream.events) {
      if (event.kind === 'final') final = event.words;
      else partials.push({ atMs: event.uptoMs ?? 0, words: event.words });
    }
    // Every caller is a new one: nothing is adapted to.
    this.stt.forget('bench');
    return { partials, final };
  }
}

export async function hearAll<T extends { samples: Int16Array; condition: Condition }>(
  recogniser: Recogniser,
  sounds: readonly T[],
): Promise<(T & { heard: Heard })[]> {
  return eachOf(sounds, async (one) => ({
    ...one,
    heard: await recogniser.hear(one.samples, undefined, undefined, one.condition.rateHz <= NARROW_RATE_HZ),
  }));
}

/** Each of them, three at a time: the recogniser has two hosts. */
export async function eachOf<T, R>(
  many: readonly T[],
  work: (one: T, i: number) => Promise<R>,
): Promise<R[]> {
  const results: R[] = [];
  let next = 0;
  const worker = async () => {
    for (let i = next++; i < many.length; i = next++) results[i] = await work(many[i]!, i);
  };
  await Promise.all([worker(), worker(), worker()]);
  return results;
}
