/**
 * How any language writes what was heard: rules put one written word for some spoken ones, names stand as
 * they are given, then come capitals and marks.
 */
import type { HeardWord } from '../../vocabulary/words.js';
import type { WritingOptions, WrittenWord } from './contract.js';

export interface Around {
  /** Did the caller pause noticeably before this word? */
  isPause: (index: number) => boolean;
}

/** Looks at the spoken words from one place on, and may put one written word for some of them. */
export type Rule = (
  words: readonly string[],
  at: number,
  around: Around,
) => { count: number; written: string } | null;

/** A token as the rules left it: one written word, and the spoken ones behind it. */
export interface Token {
  written: string;
  spoken: readonly string[];
  /** Silence before it, in ms. */
  pauseMs: number;
}

export interface MarkOptions {
  begins: boolean;
  ends: boolean;
  isName: (token: number) => boolean;
}

/** Digits are grouped where the caller paused this long between them. */
const DIGIT_PAUSE_MS = 180;

/**
 * @param rules the first that fits, at each word, has it @param punctuate puts capitals and marks to tokens
 */
export function writeWith(
  rules: readonly Rule[],
  punctuate: (tokens: readonly Token[], options: MarkOptions) => string[],
): (words: readonly HeardWord[], options: WritingOptions) => WrittenWord[] {
  return (words, { names, begins, ends }) => {
    const spoken = words.map(({ word }) => word.toLowerCase());
    const pauseMs = (i: number) => (i === 0 ? 0 : words[i]!.fromMs - words[i - 1]!.toMs);
    const isPause = (i: number) => pauseMs(i) >= DIGIT_PAUSE_MS;
    const named = nameWords(spoken, names);
    const tokens: (Token & { at: number })[] = [];
    for (let at = 0; at < spoken.length;) {
      const name = named.get(at);
      const found = name === undefined ? firstFit(rules, spoken, at, isPause) : { count: 1, written: name };
      const { count, written: text } = found ?? { count: 1, written: words[at]!.word };
      tokens.push({ written: text, spoken: spoken.slice(at, at + count), pauseMs: pauseMs(at), at });
      at += count;
    }
    const texts = punctuate(tokens, { begins, ends, isName: (token) => named.has(tokens[token]?.at ?? -1) });
    return tokens.map((token, i) => joined(words.slice(token.at, token.at + token.spoken.length), texts[i]!));
  };
}

function firstFit(
  rules: readonly Rule[],
  words: readonly string[],
  at: number,
  isPause: (i: number) => boolean,
) {
  for (const rule of rules) {
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
  const put = words.flatMap(({ heardAs }) => (heardAs === undefined ? [] : [heardAs]));
  return {
    word: text,
    spoken: words.map(({ word }) => word).join(' '),
    fromMs: words[0]!.fromMs,
    toMs: words.at(-1)!.toMs,
    ...(known.length > 0 ? { confidence: Math.min(...known) } : {}),
    ...(put.length > 0 ? { heardAs: [...new Set(put)].join(' ').trim() } : {}),
  };
}

export function capital(word: string): string {
  return word.charAt(0).toUpperCase() + word.slice(1);
}
