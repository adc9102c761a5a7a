/** From an assistant's file, and the files that it names, to what is known of the assistant. */
import { join } from 'node:path';
import { speaks, type AnswerBook } from '@verbalon/core';
import type { AssistantFile, EngineCard } from '@verbalon/protocol';
import { checkStages, choicesOf, factsOf, settlesBySound } from './cards.js';
import type { ErrandShelf } from './errand-shelf.js';
import { askedOf, bookOf, withErrands } from './errands.js';
import type { Assistant } from './events.js';
import { hearingProfile, soundsOf } from './hearing-profile.js';
import { actingIn, expectingOf, wakeEarsOf } from './lineups.js';
import { planIn, planOf } from './plan.js';

export interface ProjectParts {
  folder: string;
  engines: ReadonlyMap<string, EngineCard>;
  books: ReadonlyMap<string, AnswerBook>;
  errands: ErrandShelf;
}

/** @throws Fault with a path into the file, ProblemError for a lexicon */
export function assistantOf(
  name: string,
  file: AssistantFile,
  { folder, engines, books, errands }: ProjectParts,
): Assistant {
  checkStages(file, folder);
  const lexicon = file.lexicon ? join(folder, 'assistants', file.lexicon) : null;
  const book = bookOf(file, errands);
  const expect = expectingOf(file, engines, books);
  // What is said for errands helps to hear it; that a turn is over is not told by half of such a saying.
  const heard = withErrands(expect, book);
  const profile = hearingProfile(file, heard, lexicon, askedOf(book, errands.contacts));
  const isSounding = choicesOf(file.lineup, 'stt').some(({ engine }) => settlesBySound(engines.get(engine)));
  const plan = planOf(
    file,
    actingIn(file, engines),
    { expect, heard },
    wakeEarsOf(file, engines),
    book?.errands ?? [],
    isSounding ? soundsOf(file.language, expect, profile?.pronunciations ?? {}) : null,
  );
  const knows = (engine: string, tag: string) => speaks(factsOf(engine, engines), tag);
  const plansIn = new Map(Object.keys(file.also ?? {}).map((tag) => [tag, planIn(tag, plan, file, knows)]));
  return { name, file, plan, profile, plansIn };
}
