/** A recogniser that is described by its card. */
import { HOUSE_RATE_HZ, msOfSamples, type HeardWord } from '@verbalon/core';
import type { WiredCard } from '@verbalon/protocol';
import type { SttEngine, SttEvent, SttRequest, SttStream } from '../contract.js';
import { EventQueue } from '../event-queue.js';
import { CardedEngine, textOf } from './carded.js';
import type { Exchange } from './exchange.js';
import { Reader } from './reader.js';
import { SoundOut } from './sound.js';
import { fill, type Values } from './template.js';

type HearingCard = Extract<WiredCard, { role: 'stt' }>;

export class CardedHearing extends CardedEngine<HearingCard> implements SttEngine {
  readonly role = 'stt';

  /** Expected phrases go with each request, where the card has a place for {phrases}. */
  prepare(): Promise<string[]> {
    return Promise.resolve([]);
  }

  forget(): void {
    // Nothing is adapted to.
  }

  open({ profile, language, talk, signal }: SttRequest): SttStream {
    const { send } = this.options.card;
    const phrases = (profile?.sentences ?? []).map((words) => words.join(' '));
    const rateHz = send.rateHz ?? HOUSE_RATE_HZ;
    const values = this.values({ language, talk, rateHz, phrases });
    const events = new EventQueue<SttEvent>();
    const out = new SoundOut(send);
    let count = 0;
    let finished = false;
    let exchange: Exchange;
    try {
      exchange = this.exchange(values, signal);
    } catch (error) {
      events.fail(this.told(error));
      return { push: () => undefined, finish: () => undefined, events };
    }
    this.openWith(exchange, values);
    const put = (sound: Buffer) => sound.length > 0 && exchange.send(this.packed(sound, values));
    void this.readInto(events, exchange, signal, () => msOfSamples(count, HOUSE_RATE_HZ));
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

  private async readInto(
    events: EventQueue<SttEvent>,
    exchange: Exchange,
    signal: AbortSignal,
    lengthMs: () => number,
  ) {
    const reader = new Reader(this.name, this.options.card.receive, this.hide);
    // An engine may end a sentence of its own accord: its finals are joined to one.
    const settled: HeardWord[] = [];
    let finals = 0;
    let alternatives: string[] = [];
    try {
      reading: for await (const incoming of exchange.incoming) {
        if (!('texts' in incoming)) continue;
        for (const found of incoming.texts.flatMap((text) => reader.read(text))) {
          if (found.kind === 'end') break reading;
          if (found.kind !== 'partial' && found.kind !== 'final') continue;
          const words = spreadOver(found.words, settled.at(-1)?.toMs ?? 0, lengthMs());
          if (found.kind === 'partial') {
            events.push({ kind: 'partial', words: [...settled, ...words] });
            continue;
          }
          settled.push(...words);
          finals++;
          if (finals === 1) alternatives = found.alternatives;
          events.push({ kind: 'partial', words: [...settled] });
        }
      }
      if (signal.aborted) return events.end();
      if (finals === 0) throw reader.nothing('final words');
      this.answered();
      events.push({ kind: 'final', words: settled, alternatives: finals > 1 ? [] : alternatives });
      events.end();
    } catch (error) {
      if (signal.aborted) events.end();
      else events.fail(this.told(error));
    }
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
