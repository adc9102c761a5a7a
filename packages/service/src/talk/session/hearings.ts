/** The recognitions of a talk. */
import type { HeardWord, OrderOf } from '@verbalon/core';
import { HOUSE_RATE_HZ, msOfSamples, NARROW_RATE_HZ } from '@verbalon/core';
import { withPhones, type SttStream } from '@verbalon/engines';
import type { CallerSound } from './caller-sound.js';
import { troubleOf, type TalkContext } from './context.js';

interface Hearing {
  engine: string;
  stream: SttStream;
  abort: AbortController;
  closed: boolean;
  /** Samples that went into it. */
  count: number;
  /** What it cost is booked. */
  spent: boolean;
}

export class Hearings {
  private readonly running = new Map<number, Hearing>();
  private readonly used = new Set<string>();

  constructor(
    private readonly talk: TalkContext,
    private readonly sound: CallerSound,
  ) {}

  open(order: OrderOf<'openRecognition'>): void {
    const { recognition, engine, alone, language, fromMs, toMs, phrases, expecting } = order;
    const { id, profile, engines, stay, rateHz } = this.talk;
    const narrow = rateHz <= NARROW_RATE_HZ;
    const abort = new AbortController();
    this.used.add(engine);
    const sentAgain = (audioMs: number) =>
      this.talk.spending.add('stt', engine, { audioMs, requests: 1 }, null);
    const stream = engines.of('stt', engine).open({
      language,
      profile,
      talk: id,
      alone,
      stay,
      narrow,
      signal: abort.signal,
      sentAgain,
      ...(phrases ? { phrases } : {}),
      ...(expecting === undefined ? {} : { expecting }),
    });
    const before = this.sound.between(fromMs, toMs);
    const hearing = { engine, stream, abort, closed: false, count: before.length, spent: false };
    this.running.set(recognition, hearing);
    stream.push(before);
    this.listen(recognition, hearing, fromMs).catch((error: unknown) => this.talk.fail(error));
    if (toMs !== null) this.close(recognition);
  }

  push(samples: Int16Array): void {
    for (const hearing of this.running.values()) {
      if (hearing.closed) continue;
      hearing.count += samples.length;
      hearing.stream.push(samples);
    }
  }

  close(recognition: number): void {
    const hearing = this.running.get(recognition);
    if (!hearing) return;
    hearing.closed = true;
    hearing.stream.finish();
  }

  drop(recognition: number): void {
    const hearing = this.running.get(recognition);
    this.running.delete(recognition);
    hearing?.abort.abort();
    if (hearing) this.spend(hearing, 'cancelled');
  }

  end(): void {
    for (const recognition of [...this.running.keys()]) this.drop(recognition);
    for (const engine of this.used) this.talk.engines.of('stt', engine).forget(this.talk.id);
  }

  private async listen(recognition: number, hearing: Hearing, fromMs: number): Promise<void> {
    const { talk } = this;
    try {
      for await (const event of hearing.stream.events) {
        if (!this.running.has(recognition)) return;
        const words = event.words.map((word) => ({
          ...word,
          fromMs: word.fromMs + fromMs,
          toMs: word.toMs + fromMs,
        }));
        if (event.kind === 'partial') talk.happen({ kind: 'partial', recognition, words });
        else await this.final(recognition, hearing, words, event.alternatives);
      }
    } catch (error) {
      if (!this.running.delete(recognition)) return;
      this.spend(hearing, 'failed');
      talk.happen({ kind: 'recognitionTrouble', recognition, ...troubleOf(error, talk.log) });
    } finally {
      this.running.delete(recognition);
    }
  }

  private async final(
    recognition: number,
    hearing: Hearing,
    words: HeardWord[],
    alternatives: string[],
  ): Promise<void> {
    this.spend(hearing, null);
    const { engines, profile, stages } = this.talk;
    const isSounding = profile !== null && engines.settlesBySound(hearing.engine);
    const heard = await stages.heard(isSounding ? withPhones(words, profile.pronunciations) : words);
    if (this.running.has(recognition))
      this.talk.happen({ kind: 'final', recognition, words: heard, alternatives });
  }

  /** Once: its final may be on its way through a stage when it is dropped. */
  private spend(hearing: Hearing, waste: 'cancelled' | 'failed' | null): void {
    if (hearing.spent) return;
    hearing.spent = true;
    const { engine, count } = hearing;
    this.talk.spending.add('stt', engine, { audioMs: msOfSamples(count, HOUSE_RATE_HZ), requests: 1 }, waste);
  }
}
