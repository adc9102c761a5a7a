/** English. */
import type { Language } from '../common/contract.js';
import { writeWith, type Rule } from '../common/writing.js';
import { cardinal, decimal, money, ordinal, percent } from './amounts.js';
import { englishAssent, englishCommand } from './commands.js';
import { englishCompleteness } from './completeness.js';
import { englishNamedDay } from './named-days.js';
import { englishErrands } from './errands.js';
import { ENGLISH_EXPECTED } from './expected.js';
import { punctuate } from './marks.js';
import { readNumber } from './numbers.js';
import { ENGLISH_INTERJECTIONS, englishOverlap } from './overlap.js';
import { digits, letters } from './spelling.js';
import { clock, date, month, year } from './times.js';

/** The first rule that fits, at each word, has it. */
const RULES: readonly Rule[] = [
  date,
  clock,
  money,
  percent,
  digits,
  letters,
  decimal,
  year,
  month,
  ordinal,
  cardinal,
];
export const english: Language = {
  code: 'en',
  sayings: {
    cannotThink: 'I am sorry, I cannot think just now. Please ask me again in a moment.',
    unheard: 'I did not catch that. Could you say it again?',
    unsure: 'Did you say: {words}?',
    again: 'Then please say it once more.',
    silence: 'I am listening. What would you like to know?',
    filler: 'One moment.',
    cannotHear: 'I am sorry, I cannot hear you just now. Please type, or come back in a moment.',
    cannotSpeak: 'I am sorry, my voice is gone just now. Please read my answers.',
    tooDear: 'I am sorry, this talk has to end here. Goodbye.',
    noPerson: 'I am sorry, nobody can take the call just now. What else can I do?',
    announces:
      'This is the assistant of {title}. A caller wants to speak to you: {caller}. {known} Press one to take the call.',
    brings: 'This is {title}, with a message for you. {text}',
    backAgain: 'You are talking with me again. What else can I do?',
    recorded: 'This call is recorded.',
    farewell: 'Goodbye.',
  },
  polite: 'please hello hi hey um uh er erm oh well so thanks thank you good morning evening afternoon'.split(
    ' ',
  ),
  written: writeWith(RULES, punctuate),
  command: englishCommand,
  assent: englishAssent,
  completeness: englishCompleteness,
  overlap: englishOverlap,
  interjections: ENGLISH_INTERJECTIONS,
  expected: ENGLISH_EXPECTED,
  personWanted: 'I want to speak to a person',
  namedDay: englishNamedDay,
  errands: englishErrands,
  plain,
};

function plain(text: string): string[] {
  const words = text
    .toLowerCase()
    .replace(/’/g, "'")
    .replace(/(\d),(\d{3})\b/g, '$1$2')
    .replace(/[^\p{L}\p{N}'\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);
  const out: string[] = [];
  for (let at = 0; at < words.length;) {
    const number = readNumber(words, at);
    out.push(number && !number.ordinal ? String(number.value) : words[at]!);
    at += number && !number.ordinal ? number.count : 1;
  }
  return out;
}
