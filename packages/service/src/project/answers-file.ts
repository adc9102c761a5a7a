/** A file of authored answers. */
import { AnswerBook } from '@verbalon/core';
import { AnswersFile, type EngineCard } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import { parseYaml } from './read-yaml.js';

/**
 * @param cards a card that uses it must name a model, if it passes on to one @throws ProblemError
 * `answers-broken`
 */
export function parseAnswers(
  name: string,
  yaml: string,
  path: string,
  cards: ReadonlyMap<string, EngineCard>,
): AnswerBook {
  const book = parseYaml(
    yaml,
    path,
    AnswersFile,
    'answers-broken',
    (file: AnswersFile) => new AnswerBook(file),
  );
  const asks = [...cards].find(
    ([, card]) => card.wire === 'answers' && card.answers === name && card.passTo === undefined,
  );
  if (book.passes && asks)
    throw new ProblemError(
      'answers-broken',
      `${path}: it passes on to a model, and engines/${asks[0]}.yaml names none in "passTo"`,
    );
  return book;
}
