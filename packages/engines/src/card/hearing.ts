/**
 * A recogniser that is described by its card: sound goes to it as it comes, or whole when a segment is over.
 */
import { HOUSE_RATE_HZ, msOfSamples, type HeardWord } from '@verbalon/core';
import type { WiredCard } from '@verbalon/protocol';
import type { SttEngine, SttEvent, SttRequest, SttStream } from '../common/contract.js';
import { EventQueue } from '../common/event-queue.js';
import { CardedEngine, type CardOptions } from './carded.js';
import type { Exchange, Incoming } from './exchange.js';
import { packedWhole } from './form.js';
import { later } from './later.js';
import { Reader, type Found } from './reader.js';
import { SoundOut } from './sound.js';
import { fill, textOf, type Values } from './template.js';

type HearingCard = Extract<WiredCard, { role: 'stt' }>;

/** No segment is longer; what comes after it of one that is sent whole is left out. */
const MOST_SEGMENT_MS = 120_000;
/** Sound that is shorter has no words that are worth a request, in ms. */
const LEAST_SO_FAR_MS = 300;

export class CardedHearing extends CardedEngine<HearingCard> implements SttEngine {
  readonly role = 'stt';
  private readonly finished: boolean;

  constructor(options: CardOptions<HearingCard>) {
    super(options);
    this.finished = options.card.writes === 'finished';
  }

  /** Expected phrases go with each request, where the card has a place for {phrases}. */
  prepare(): Promise<string[]> {
    return Promise.resolve([]);
  }

  open(request: SttRequest): SttStream {
    const { send } = this.options.card;
    const { profile, language, talk } = request;
    const phrases = (profile?.sentences ?? []).map((words) => words.join(' '));
    const rateHz = send.rateHz ?? HOUSE_RATE_HZ;
    const own = { language, talk, rateHz, phrases };
    return send.form === 'whole' || send.form === 'parts'
      ? new WholeSegment(own, request, send, this.whole)
      : this.streamed(own, request.signal);
  }

  private streamed(own: Values, signal: AbortSignal): SttStream {
    const { send, token } = this.options.card;
    const events = new EventQueue<SttEvent>();
    const out = new SoundOut(send.encoding, send.rateHz);
    let count = 0;
    let finished = false;
    let exchange: Exchange;
    const values = this.values(own);
    const begin = () => {
      const now = this.values(own);
      const begun = this.exchange(now, signal, { streamed: true });
      this.openWith(begun, now);
      return begun;
    };
    try {
      exchange = token ? later(this.keys.fresh().then(begin)) : begin();
    } catch (error) {
      events.fail(this.told(error));
      return { push: () => undefined, finish: () => undefined, events };
    }
    const put = (sound: Buffer) => {
      if (sound.length > 0) exchange.send(this.packed(sound, values));
    };
    void this.readStream(events, exchange, signal, () => msOfSamples(count, HOUSE_RATE_HZ));
    return {
      push: (samples) => {
        if (finished) return;
        count += samples.length;
        put(out.push(samples));
      },
      finish: () => {
        if (finished) return;
        finished = true;
        put(out.flush());
        for (const one of send.finish ?? []) exchange.send(textOf(fill(one, values)));
        exchange.finish();
      },
      events,
    };
  }

  private packed(sound: Buffer, values: Values): string | Buffer {
    const template = this.options.card.send.sound ?? 'raw';
    if (template === 'raw') return sound;
    return textOf(fill(template, { ...values, sound: sound.toString('base64') }));
  }

  /** One request with all of a segment's sound. @returns its words. @throws EngineFault */
  private readonly whole: AskWhole = async (own, sound, lengthMs, signal) => {
    const { send } = this.options.card;
    try {
      // What stands for the key is put in where the request is made: only the form's own fields are filled
      // here.
      await this.keys.fresh();
      const body = packedWhole(send, this.values(own), sound);
      const heard = await this.read(
        this.answerTo(own, signal, body),
        signal,
        () => lengthMs,
        () => undefined,
      );
      return heard;
    } catch (error) {
      throw this.told(error);
    }
  };

  private async readStream(
    events: EventQueue<SttEvent>,
    exchange: Exchange,
    signal: AbortSignal,
    lengthMs: () => number,
  ) {
    try {
      const heard = await this.read(
        exchange.incoming,
        signal,
        lengthMs,
        (words) => events.push({ kind: 'partial', words }),
        exchange.done,
      );
      if (heard) events.push({ kind: 'final', ...heard });
      events.end();
    } catch (error) {
      if (signal.aborted) events.end();
      else events.fail(this.told(error));
    }
  }

  /**
   * An engine may end a sentence of its own accord: its finals are joined to one.
   * @returns null where nobody waits for it any more. @throws EngineFault
   */
  private async read(
    incoming: AsyncIterable<Incoming>,
    signal: AbortSignal,
    lengthMs: () => number,
    soFar: (words: HeardWord[]) => void,
    ended: () => void = () => undefined,
  ): Promise<Heard | null> {
    const reader = new Reader(this.name, this.options.card.receive, this.hide, this.finished);
    const settled: HeardWord[] = [];
    let finals = 0;
    let alternatives: string[] = [];
    for await (const found of foundIn(incoming, reader)) {
      if (found.kind === 'end') {
        ended();
        break;
      }
      if (found.kind !== 'partial' && found.kind !== 'final') continue;
      const words = spreadOver(found.words, settled.at(-1)?.toMs ?? 0, lengthMs());
      if (found.kind === 'final') {
        settled.push(...words);
        if (finals++ === 0) alternatives = found.alternatives;
      }
      soFar(found.kind === 'final' ? [...settled] : [...settled, ...words]);
    }
    if (signal.aborted) return null;
    if (finals === 0) throw reader.nothing('final words');
    this.answered();
    return { words: settled, alternatives: finals > 1 ? [] : alternatives };
  }
}

async function* foundIn(incoming: AsyncIterable<Incoming>, reader: Reader): AsyncIterable<Found> {
  for await (const one of incoming)
    if ('texts' in one) for (const text of one.texts) yield* reader.read(text);
}

interface Heard {
  words: HeardWord[];
  alternatives: string[];
}
type AskWhole = (own: Values, sound: Buffer, lengthMs: number, signal: AbortSignal) => Promise<Heard | null>;

/**
 * A segment whose sound goes out whole; it is packed while it comes, so that it is ready the moment it ends.
 */
class WholeSegment implements SttStream {
  readonly events = new EventQueue<SttEvent>();
  private readonly out: SoundOut;
  private readonly coded: Buffer[] = [];
  private count = 0;
  private finished = false;
  private readonly timer: NodeJS.Timeout | undefined;
  private asking: AbortController | null = null;

  constructor(
    private readonly own: Values,
    private readonly request: Pick<SttRequest, 'signal' | 'sentAgain'>,
    send: HearingCard['send'],
    private readonly ask: AskWhole,
  ) {
    this.out = new SoundOut(send.encoding, send.rateHz);
    if (send.everyMs === undefined) return;
    this.timer = setInterval(() => void this.soFar(), send.everyMs);
    request.signal.addEventListener('abort', () => clearInterval(this.timer), { once: true });
  }

  push(samples: Int16Array): void {
    if (this.finished || this.lengthMs > MOST_SEGMENT_MS) return;
    this.count += samples.length;
    this.coded.push(this.out.push(samples));
  }

  finish(): void {
    if (this.finished) return;
    this.finished = true;
    clearInterval(this.timer);
    this.asking?.abort();
    this.coded.push(this.out.flush());
    const { events } = this;
    const { signal } = this.request;
    this.out
      .whole(this.coded, true)
      .then((sound) => this.ask(this.own, sound, this.lengthMs, signal))
      .then(
        (heard) => {
          if (heard) events.push({ kind: 'final', ...heard });
          events.end();
        },
        (error: Error) => (signal.aborted ? events.end() : events.fail(error)),
      );
  }

  private get lengthMs(): number {
    return msOfSamples(this.count, HOUSE_RATE_HZ);
  }

  /** What there is so far is asked for, one request at a time; that it fails is no fault of the segment. */
  private async soFar(): Promise<void> {
    const { lengthMs } = this;
    if (this.asking || lengthMs < LEAST_SO_FAR_MS) return;
    this.asking = new AbortController();
    const signal = AbortSignal.any([this.request.signal, this.asking.signal]);
    this.request.sentAgain?.(lengthMs);
    const sound = await this.out.whole(this.coded, false);
    const heard = await this.ask(this.own, sound, lengthMs, signal).catch(() => null);
    this.asking = null;
    if (heard && !this.finished) this.events.push({ kind: 'partial', words: heard.words, uptoMs: lengthMs });
  }
}

/** Words without times are spread evenly over the sound that is new. */
function spreadOver(words: readonly HeardWord[], fromMs: number, toMs: number): HeardWord[] {
  if (words.every((word) => word.toMs >= 0)) return [...words];
  const each = Math.max(0, toMs - fromMs) / words.length;
  return words.map((word, i) => ({
    ...word,
    fromMs: Math.round(fromMs + i * each),
    toMs: Math.round(fromMs + (i + 1) * each),
  }));
}
