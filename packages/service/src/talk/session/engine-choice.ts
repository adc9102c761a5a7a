/**
 * Which engines a talk may use, while it goes on: another one by its name, or those that know another
 * language.
 */
import {
  primaryOf,
  speaks,
  spokenLanguage,
  type EngineRole,
  type Plan,
  type Unstamped,
} from '@verbalon/core';
import type { Logger } from 'pino';
import type { EngineRegistry } from '../../engines/registry.js';
import { ProblemError } from '../../problems/problems.js';
import type { Assistant } from '../../project/events.js';
import type { Project } from '../../project/project.js';

interface Languages {
  hears: string;
  speaks: string;
}

export class EngineChoice {
  /** As the conductor has it by now: what was swapped stays when a language changes. */
  private readonly lineup: Record<EngineRole, readonly string[]>;
  private languages: Languages;

  constructor(
    private readonly engines: EngineRegistry,
    private readonly project: Project,
    private readonly assistant: Assistant,
    private readonly log: Logger,
    plan: Plan,
  ) {
    this.lineup = { ...plan.lineup };
    this.languages = { hears: plan.language, speaks: spokenLanguage(plan) };
  }

  /**
   * Another engine is to serve from the next segment, thought or phrase on.
   * @param freely somebody with a key of their own asks; else the caller chooses among what the assistant's
   * file lists
   * @returns what happens when it is ready; null where it cannot be made ready
   * @throws ProblemError `choice-not-offered`, `engine-unknown` or `engine-forbidden`
   */
  swap(role: EngineRole, engine: string, freely: boolean): Promise<Unstamped | null> {
    const { callersMaySwap } = this.assistant.file;
    if (!freely && !callersMaySwap?.[role]?.includes(engine))
      throw new ProblemError('choice-not-offered', `${role}: ${engine}`);
    this.engines.of(role, engine);
    const why = this.project.whyNot(this.assistant.file, role, engine.split('?')[0]!);
    if (why !== null) throw new ProblemError('engine-forbidden', why);
    return this.madeReady(role, engine);
  }

  private async madeReady(role: EngineRole, engine: string): Promise<Unstamped | null> {
    try {
      // Ears know the expected phrases before they are used; until then the others hear on.
      const ears = role === 'stt' ? this.engines.prepareEars(this.assistant, engine) : Promise.resolve();
      await Promise.all([ears, this.engines.warm(engine).catch(() => undefined)]);
    } catch (error) {
      this.log.warn({ engine, why: String(error) }, 'an engine that was asked for cannot be made ready');
      return null;
    }
    this.lineup[role] = [engine, ...this.lineup[role].filter((name) => name !== engine)];
    return { kind: 'swapAsked', role, engine };
  }

  /**
   * Another language from the next segment, thought and phrase on.
   * @param freely as above
   * @throws ProblemError `choice-not-offered`; `language-unknown` where of a role no engine knows it
   */
  languageSet(
    wanted: { hears?: string | undefined; speaks?: string | undefined },
    freely: boolean,
  ): Unstamped {
    for (const tag of [wanted.hears, wanted.speaks]) if (tag !== undefined && !freely) this.checkOffered(tag);
    const next = {
      hears: wanted.hears ?? this.languages.hears,
      speaks: wanted.speaks ?? this.languages.speaks,
    };
    const lineup = {
      stt: this.knowing('stt', next),
      llm: this.knowing('llm', next),
      tts: this.knowing('tts', next),
    };
    this.languages = next;
    return { kind: 'languageSet', ...next, lineup };
  }

  private checkOffered(tag: string): void {
    const { language, speaks: spoken = language, also = {}, callersMaySwap = {} } = this.assistant.file;
    const offered = [language, spoken, ...Object.keys(also), ...(callersMaySwap.languages ?? [])].map(
      primaryOf,
    );
    if (!offered.includes(primaryOf(tag)))
      throw new ProblemError('choice-not-offered', `the language ${tag}`);
  }

  private knowing(role: EngineRole, { hears, speaks: spoken }: Languages): string[] {
    const tag = role === 'stt' ? hears : spoken;
    const known = this.lineup[role].filter((name) => speaks(this.engines.of(role, name), tag));
    if (known.length > 0) return known;
    throw new ProblemError('language-unknown', `of ${this.lineup[role].join(', ')} none knows "${tag}"`);
  }
}
