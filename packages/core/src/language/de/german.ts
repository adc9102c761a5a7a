/** German. */
import type { Language } from '../common/contract.js';
import { writeWith } from '../common/writing.js';
import { germanCompleteness } from './completeness.js';
import { germanNamedDay } from './named-days.js';
import { GERMAN_EXPECTED } from './expected.js';
import { punctuate } from './marks.js';
import { readNumber } from './numbers.js';
import {
  aroundTheHour,
  cardinal,
  clock,
  date,
  decimal,
  digits,
  letters,
  money,
  month,
  ordinal,
  percent,
} from './rules.js';
import { GERMAN_INTERJECTIONS, germanAssent, germanCommand, germanOverlap } from './sayings.js';

export const german: Language = {
  code: 'de',
  sayings: {
    cannotThink: 'Es tut mir leid, ich kann gerade nicht denken. Bitte fragen Sie mich gleich noch einmal.',
    unheard: 'Das habe ich nicht verstanden. Können Sie es noch einmal sagen?',
    unsure: 'Haben Sie gesagt: {words}?',
    again: 'Dann sagen Sie es bitte noch einmal.',
    silence: 'Ich höre. Was möchten Sie wissen?',
    filler: 'Einen Moment.',
    cannotHear:
      'Es tut mir leid, ich kann Sie gerade nicht hören. Bitte tippen Sie, oder kommen Sie gleich wieder.',
    cannotSpeak: 'Es tut mir leid, meine Stimme ist gerade weg. Bitte lesen Sie meine Antworten.',
    tooDear: 'Es tut mir leid, dieses Gespräch muss hier enden. Auf Wiederhören.',
    noPerson: 'Leider ist gerade niemand zu erreichen. Was kann ich sonst für Sie tun?',
    announces:
      'Hier ist der Assistent von {title}. Jemand möchte Sie sprechen: {caller}. {known} Drücken Sie die Eins, um das Gespräch zu übernehmen.',
    brings: 'Hier ist {title} mit einer Nachricht für Sie. {text}',
    backAgain: 'Sie sprechen wieder mit mir. Was kann ich noch tun?',
    recorded: 'Dieses Gespräch wird aufgezeichnet.',
    farewell: 'Auf Wiederhören.',
  },
  polite: 'bitte hallo hey äh ähm ach also so danke schön vielen dank guten tag morgen abend gerne'.split(
    ' ',
  ),
  written: writeWith(
    [date, clock, aroundTheHour, money, percent, digits, letters, decimal, month, ordinal, cardinal],
    punctuate,
  ),
  command: germanCommand,
  assent: germanAssent,
  completeness: germanCompleteness,
  overlap: germanOverlap,
  interjections: GERMAN_INTERJECTIONS,
  expected: GERMAN_EXPECTED,
  personWanted: 'Ich möchte mit einem Menschen sprechen',
  namedDay: germanNamedDay,
  errands: null,
  plain,
};

function plain(text: string): string[] {
  const words = text
    .toLowerCase()
    .replace(/(\d)\.(\d{3})\b/g, '$1$2')
    .replace(/[^\p{L}\p{N}\s]/gu, ' ')
    .split(/\s+/)
    .filter(Boolean);
  const out: string[] = [];
  for (let at = 0; at < words.length;) {
    const number = readNumber(words, at);
    out.push(number ? String(number.value) : words[at]!);
    at += number?.count ?? 1;
  }
  return out;
}
