/** English. */
import type { HeardWord } from '../../conductor/happenings.js';
import type { Language, WrittenWord, WritingOptions } from '../language.js';
import { cardinal, decimal, money, ordinal, percent } from './amounts.js';
import { englishAssent, englishCommand } from './commands.js';
import { englishCompleteness } from './completeness.js';
import { punctuate, type Token } from './marks.js';
import { readNumber } from './numbers.js';
import { ENGLISH_INTERJECTIONS, englishOverlap } from './overlap.js';
import type { Rule } from './rules.js';
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
/** Digits are grouped where the caller paused this long between them. */
const DIGIT_PAUSE_MS = 180;

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
    farewell: 'Goodbye.',
  },
  written,
  command: englishCommand,
  assent: englishAssent,
  completeness: englishCompleteness,
  overlap: englishOverlap,
  interjections: ENGLISH_INTERJECTIONS,
  plain,
};

function written(words: readonly HeardWord[], { names, begins, ends }: WritingOptions): WrittenWord[] {
  const spoken = words.map(({ word }) => word.toLowerCase());
  const pauseMs = (i: number) => (i === 0 ? 0 : words[i]!.fromMs - words[i - 1]!.toMs);
  const isPause = (i: number) => pauseMs(i) >= DIGIT_PAUSE_MS;
  const named = nameWords(spoken, names);
  const tokens: (Token & { at: number })[] = [];
  for (let at = 0; at < spoken.length;) {
    const name = named.get(at);
    const found = name === undefined ? firstFit(spoken, at, isPause) : { count: 1, written: name };
    const { count, written: text } = found ?? { count: 1, written: words[at]!.word };
    tokens.push({ written: text, spoken: spoken.slice(at, at + count), pauseMs: pauseMs(at), at });
    at += count;
  }
  const texts = punctuate(tokens, { begins, ends, isName: (token) => named.has(tokens[token]?.at ?? -1) });
  return tokens.map((token, i) => joined(words.slice(token.at, token.at + token.spoken.length), texts[i]!));
}

function firstFit(words: readonly string[], at: number, isPause: (i: number) => boolean) {
  for (const rule of RULES) {
    const found = rule(words, at, { isPause });
    if (found) return found;
  }
  return null;
}

/** Which words belong to a name, and how each is written. */
function nameWords(spoken: readonly string[], names: readonly string[]): Map<number, string> {
  const found = new Map<number, string>();
  const split = names
    .map((name) => name.split(' '))
    .sort((a, b) => b.length - a.length)
    .map((parts) => ({ parts, lower: parts.map((part) => part.toLowerCase()) }));
  for (let at = 0; at < spoken.length; at++) {
    if (found.has(at)) continue;
    const name = split.find(({ lower }) =>
      lower.every((part, i) => spoken[at + i] === part && !found.has(at + i)),
    );
    name?.parts.forEach((part, i) => found.set(at + i, part));
  }
  return found;
}

function joined(words: readonly HeardWord[], text: string): WrittenWord {
  const known = words.flatMap(({ confidence }) => (confidence === undefined ? [] : [confidence]));
  return {
    word: text,
    spoken: words.map(({ word }) => word).join(' '),
    fromMs: words[0]!.fromMs,
    toMs: words.at(-1)!.toMs,
    ...(known.length > 0 ? { confidence: Math.min(...known) } : {}),
  };
}

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
