/** Which assistants' engines are warm and know the expected phrases. */
import { spokenLanguage, spokenPhrases } from '@verbalon/core';
import type { TtsEvent } from '@verbalon/engines';
import type { Assistant } from './project/project.js';
import { definedOnly } from './talk/arrival.js';
import type { TalkHost } from './talk/open-talk.js';
import { voiceFor } from './talk/voice.js';

const PATIENCE_MS = 20_000;

export class Readiness {
  private readonly waiting = new Map<string, string>();

  constructor(private readonly host: Pick<TalkHost, 'project' | 'engines' | 'phrases' | 'log'>) {}

  prepareAll(): void {
    for (const assistant of this.host.project.list()) void this.prepare(assistant);
  }

  async prepare(assistant: Assistant): Promise<void> {
    const { name, plan } = assistant;
    this.waiting.set(name, `the engines of ${name} are being warmed`);
    try {
      await this.host.engines.prepare(assistant);
      // One engine a role is enough; the others are looked at until they are ready too.
      await Promise.all(Object.values(plan.lineup).map((names) => this.warmOne(names)));
      this.waiting.delete(name);
      this.host.log.info({ assistant: name }, 'an assistant is ready');
      void this.keepSayings(assistant).catch((error: Error) =>
        this.host.log.warn(
          { assistant: name, why: error.message },
          'what she says when engines fail is not kept as sound',
        ),
      );
    } catch (error) {
      this.waiting.set(name, `${name}: ${(error as Error).message}`);
      this.host.log.error(
        { assistant: name, why: (error as Error).message },
        'an assistant cannot be made ready',
      );
    }
  }

  private async warmOne(names: readonly string[]): Promise<void> {
    const tried = names.map((name) => this.host.engines.warm(name));
    await Promise.any(tried).catch(async () => await tried[0]);
  }

  /** What she says when engines fail is there as sound before they do. */
  private async keepSayings({ plan, file }: Assistant): Promise<void> {
    const { engines, phrases } = this.host;
    const engine = plan.lineup.tts[0]!;
    const { cannotThink, cannotHear, cannotSpeak } = plan.sayings;
    const language = spokenLanguage(plan);
    const voice = voiceFor(engines, engine, definedOnly(file.voice ?? {}), 1);
    const texts = [cannotThink, cannotHear, cannotSpeak].flatMap(spokenPhrases);
    for (const text of texts) {
      const request = { text, language, voice };
      // From an earlier start, or for another assistant with this voice.
      if (phrases.find(engine, request)) continue;
      const events: TtsEvent[] = [];
      for await (const event of engines
        .of('tts', engine)
        .speak({ ...request, signal: AbortSignal.timeout(PATIENCE_MS) }))
        events.push(event);
      phrases.keepForGood(engine, request, events);
    }
  }

  missing(): string[] {
    const name = this.host.project.defaultAssistant;
    const broken = this.host.project.list().some((one) => one.name === name)
      ? []
      : [`the assistant ${name} cannot be used`];
    const waiting = this.waiting.get(name);
    return waiting ? [...broken, waiting] : broken;
  }
}
