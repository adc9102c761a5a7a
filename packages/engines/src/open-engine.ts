/** From an engine's card to the engine. A new wire is added here. */
import type { EngineCard } from '@verbalon/protocol';
import type { AnswerBook } from '@verbalon/core';
import { AnswersEngine } from './answers/engine.js';
import { CardedHearing } from './card/hearing.js';
import { CardedSpeaking } from './card/speaking.js';
import { CardedThinking } from './card/thinking.js';
import type { CardOptions } from './card/carded.js';
import { hostsOf } from './card/hosts.js';
import type { AnyEngine, LlmEngine } from './common/contract.js';
import type { Guard } from './guard/guard.js';
import { guarded } from './guard/guarded.js';
import { EchoEngine } from './echo/engine.js';
import { FliteEngine } from './flite/engine.js';
import { PageEngine, type PageChat } from './page/engine.js';
import { PocketSphinxEngine } from './pocketsphinx/engine.js';

export interface Surroundings {
  /** A folder that the engine may write to. */
  workFolder: string;
  /** Addresses of the stand-ins that the project started, by name. */
  standins: Readonly<Record<string, string>>;
  /** The environment: keys by their names. */
  secrets: Readonly<Record<string, string | undefined>>;
  /** The project's folder. */
  folder: string;
  /** Told what wired engines are asked and answer, without keys. */
  trace?: CardOptions['trace'];
  /** The answers file of a name, as it is now. */
  answers(name: string): AnswerBook;
  /** Another model of the project, to pass a question on to. */
  model(name: string): LlmEngine;
  /** The caller's page in this talk, where it answers. */
  page(talk: string): PageChat | null;
}

/** A card's engine inside its guard. */
export function openEngine(
  name: string,
  card: EngineCard,
  around: Surroundings,
): AnyEngine & { guard: Guard } {
  const { deadlines, limits, hedged, where } = card;
  const reached = { name, where, hosts: hostsOf(card) };
  const ofCaller = card.wire === 'page';
  return guarded(engineOf(name, card, around), {
    deadlines,
    atOnce: limits?.atOnce,
    hedged,
    reached,
    ofCaller,
  });
}

function engineOf(
  name: string,
  card: EngineCard,
  { workFolder, standins, secrets, folder, trace, answers, model, page }: Surroundings,
): AnyEngine {
  const { title, languages } = card;
  switch (card.wire) {
    case 'pocketsphinx':
      return new PocketSphinxEngine({ name, title, languages, hosts: card.hosts ?? 2, workFolder });
    case 'flite':
      return new FliteEngine({ name, title, languages, voices: card.voices, hosts: card.hosts ?? 1 });
    case 'echo':
      return new EchoEngine(name, title, languages);
    case 'page':
      return new PageEngine({ name, title, languages, where: card.where, page });
    case 'answers': {
      const { answers: book, passTo, seed } = card;
      const other = passTo === undefined ? null : () => model(passTo);
      return new AnswersEngine({
        name,
        title,
        languages,
        seed: seed ?? 1,
        book: () => answers(book),
        passTo: other,
      });
    }
    default:
      return openWired({ name, card, standins, secrets, folder, trace });
  }
}

function openWired(options: CardOptions): AnyEngine {
  switch (options.card.role) {
    case 'stt':
      return new CardedHearing(options as ConstructorParameters<typeof CardedHearing>[0]);
    case 'llm':
      return new CardedThinking(options as ConstructorParameters<typeof CardedThinking>[0]);
    case 'tts':
      return new CardedSpeaking(options as ConstructorParameters<typeof CardedSpeaking>[0]);
  }
}
