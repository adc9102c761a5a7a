/** Which assistants' engines are warm and know the expected phrases. */
import { spokenLanguage, spokenPhrases } from '@verbalon/core';
import type { TtsEvent } from '@verbalon/engines';
import type { Assistant } from '../project/events.js';
import { definedOnly } from '../talk/call/arrival.js';
import { missingFor } from '../engines/summaries.js';
import type { TalkHost } from '../talk/call/open-session.js';
import { voiceFor } from '../talk/session/voice.js';

const PATIENCE_MS = 20_000;
/** What cannot be made ready is tried again after this, then after twice as long, up to the most, in ms. */
const FIRST_REST_MS = 2_000;
const MOST_REST_MS = 60_000;

export class Readiness {
  private readonly waiting = new Map<string, string>();
  private readonly again = new Map<string, NodeJS.Timeout>();
  private stopped = false;

  constructor(private readonly host: Pick<TalkHost, 'project' | 'engines' | 'phrases' | 'log'>) {}

  prepareAll(): void {
    for (const assistant of this.host.project.list()) void this.prepare(assistant);
  }

  stop(): void {
    this.stopped = true;
    for (const timer of this.again.values()) clearTimeout(timer);
  }

  async prepare(assistant: Assistant, restMs = FIRST_REST_MS): Promise<void> {
    const { name, plan } = assistant;
    clearTimeout(this.again.get(name));
    this.waiting.set(name, `the engines of ${name} are being warmed`);
    try {
      await this.host.engines.prepare(assistant);
      // One engine a role is enough; the others are looked at until they are ready too.
      await Promise.all(Object.values(plan.lineup).map((names) => this.warmOne(names)));
      // The first caller is greeted as soon as the second one.
      await this.keep(assistant, [plan.greeting]);
      this.waiting.delete(name);
      this.host.log.info({ assistant: name }, 'an assistant is ready');
      const { cannotThink, cannotHear, cannotSpeak } = plan.sayings;
      void this.keep(assistant, [cannotThink, cannotHear, cannotSpeak]);
    } catch (error) {
      this.waiting.set(name, `${name}: ${(error as Error).message}`);
      this.host.log.error(
        { assistant: name, why: (error as Error).message },
        'an assistant cannot be made ready',
      );
      if (this.stopped) return;
      const next = () => void this.prepare(assistant, Math.min(MOST_REST_MS, 2 * restMs));
      this.again.set(name, setTimeout(next, restMs));
    }
  }

  private async warmOne(names: readonly string[]): Promise<void> {
    const tried = names.map((name) => this.host.engines.warm(name));
    await Promise.any(tried).catch(async () => await tried[0]);
  }

  /** What it says in every talk, and when engines fail, is there as sound before that. */
  private async keep(assistant: Assistant, texts: readonly string[]): Promise<void> {
    try {
      for (const text of texts.flatMap(spokenPhrases)) await this.keepPhrase(assistant, text);
    } catch (error) {
      const why = (error as Error).message;
      this.host.log.warn({ assistant: assistant.name, why }, 'what it is sure to say is not kept as sound');
    }
  }

  private async keepPhrase({ plan, file }: Assistant, text: string): Promise<void> {
    const { engines, phrases } = this.host;
    const engine = plan.lineup.tts[0]!;
    const voice = voiceFor(engines, engine, definedOnly(file.voice ?? {}), 1);
    const request = { text, language: spokenLanguage(plan), voice, stay: file.stay ?? null };
    // From an earlier start, or for another assistant with this voice.
    if (phrases.find(engine, request)) return;
    const events: TtsEvent[] = [];
    const signal = AbortSignal.timeout(PATIENCE_MS);
    for await (const event of engines.of('tts', engine).speak({ ...request, signal })) events.push(event);
    phrases.keepForGood(engine, request, events);
  }

  /**
   * What a caller of this assistant would meet just now: why he could not be served; nothing when he could.
   */
  missing(assistant: Assistant): string[] {
    const waiting = this.waiting.get(assistant.name);
    return [...(waiting === undefined ? [] : [waiting]), ...missingFor(this.host.engines, assistant)];
  }
}
