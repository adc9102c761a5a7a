/** What hosts need of a hearing profile, as files. */
import { arpaOf, eitherOf, sayable, wordsOfGrammar, writeJsgf, type Grammar } from '@verbalon/core';
import type { HearingProfile } from '../common/contract.js';
import { pronunciationsOf } from './dictionary.js';
import type { ClosedFiles, ToSttHost } from './messages.js';

export type ProfileMessage = Extract<ToSttHost, { kind: 'profile' }>;

/** Writes a file that hosts can read. @returns where it is */
export type WriteFile = (text: string, ending: 'arpa' | 'jsgf') => string;

export function profileMessage(profile: HearingProfile, write: WriteFile): ProfileMessage {
  const { key, weight, pronunciations, sentences, answers = {} } = profile;
  const likely = Object.entries(answers).filter(([, { only }]) => !only);
  const files = {
    expected: write(arpaOf(sentences), 'arpa'),
    answers: Object.fromEntries(likely.map(([name, said]) => [name, write(arpaOf(said.sentences), 'arpa')])),
  };
  return { kind: 'profile', key, weight, pronunciations, files, closed: closedFiles(profile, write) };
}

/** The grammar of what is expected where nothing is asked for. */
export const USUAL = '';

/** What may be said while something is asked for, by its name, and else (USUAL). */
export function grammarsOf({ grammar, answers = {} }: HearingProfile): Record<string, Grammar> {
  if (!grammar) return {};
  const asked = Object.entries(answers).map(([name, { only, grammar: own }]): [string, Grammar] => [
    name,
    only ? own : eitherOf([own, grammar]),
  ]);
  return { [USUAL]: grammar, ...Object.fromEntries(asked) };
}

function closedFiles(profile: HearingProfile, write: WriteFile): ClosedFiles {
  const { answers = {}, pronunciations: own } = profile;
  const grammars = grammarsOf(profile);
  const words: Record<string, string[]> = {};
  for (const grammar of Object.values(grammars))
    for (const word of wordsOfGrammar(grammar))
      words[word] ??= [
        ...new Set([...(own[word] === undefined ? [] : [own[word]]), ...pronunciationsOf(word)]),
      ];
  const isSaid = (word: string) => words[word]!.length > 0;
  return {
    words: Object.fromEntries(Object.entries(words).filter(([word]) => isSaid(word))),
    grammars: Object.fromEntries(
      Object.entries(grammars).map(([name, grammar]) => [
        name,
        write(writeJsgf(sayable(grammar, isSaid), 'expected'), 'jsgf'),
      ]),
    ),
    only: Object.keys(answers).filter((name) => answers[name]!.only),
  };
}
