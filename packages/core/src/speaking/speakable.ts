/**
 * Text made fit for speech: what is written for the eye (Markdown, links, symbols) becomes words, or goes.
 * It never adds a sentence of its own.
 */

import { cutPiece, cutRest, newCutter } from './phrase-cutter.js';

type Rule = [pattern: RegExp, put: string | ((...found: string[]) => string)];

/** No word is longer, and no phrase: a voice is busy with one for a second at most, in characters. */
const MOST_WORD_CHARACTERS = 60;
const MOST_PHRASE_CHARACTERS = 300;
const LONG_RUN = new RegExp(`\\S{${MOST_WORD_CHARACTERS}}(?=\\S)`, 'gu');
const LONG_TEXT = new RegExp(`.{1,${MOST_PHRASE_CHARACTERS}}(?:\\s|$)`, 'gu');

const SYMBOLS: Rule[] = [
  [/(\d)\s*%/g, '$1 percent'],
  [/(-?\d)\s*°\s*C\b/g, '$1 degrees Celsius'],
  [/(-?\d)\s*°\s*F\b/g, '$1 degrees Fahrenheit'],
  [/(\d)\s*°/g, '$1 degrees'],
  [/€\s*(\d[\d.,]*\d|\d)/g, '$1 euros'],
  [/(\d)\s*€/g, '$1 euros'],
  [/\$\s*(\d[\d.,]*\d|\d)/g, '$1 dollars'],
  [/£\s*(\d[\d.,]*\d|\d)/g, '$1 pounds'],
  [/(\d)\s*[–—]\s*(\d)/g, '$1 to $2'],
  [/\s*(?:→|->|=>)\s*/g, ' to '],
  [/\s&\s/g, ' and '],
  [/(\w)\s=\s(\w)/g, '$1 is $2'],
  [/(\d)\s\+\s(\d)/g, '$1 plus $2'],
  [/\s*[—–]\s*/g, ', '],
];

/**
 * Every repetition is bounded: text without an end to its brackets must not be read again from each of them.
 */
const MARKDOWN: Rule[] = [
  [/```[\s\S]*?(?:```|$)/g, ' '],
  [/`([^`]*)`/g, '$1'],
  [/!\[([^\]]{0,500})\]\([^)]{0,2000}\)/g, '$1'],
  [/\[([^\]]{1,500})\]\([^)]{0,2000}\)/g, '$1'],
  [/<https?:\/\/([^\s/>]{1,300})[^\s>]{0,2000}>/g, '$1'],
  [/\bhttps?:\/\/(?:www\.)?([^\s/)]+)(\/[^\s)]*)?/g, (_all, host, path) => spokenHost(host!, path)],
  [/<\/?[a-z][^>]{0,500}>/gi, ' '],
  [/^\s*(?:[-*_]\s*){3,}$/gm, ' '],
  [/^\s{0,3}#{1,6}\s+/gm, ''],
  [/^\s*>+\s?/gm, ''],
  [/^\s*[-*+•]\s+/gm, ''],
  [/^\s*\|?(?:\s*:?-{2,}:?\s*\|)+\s*:?-*:?\s*$/gm, ' '],
  [
    /^\s*\|(.*)\|\s*$/gm,
    (_all, cells = '') =>
      cells
        .split('|')
        .map((cell) => cell.trim())
        .filter(Boolean)
        .join(', '),
  ],
  [/(\*\*|__|~~)(?=\S)([\s\S]{0,1000}?\S)\1/g, '$2'],
  [/(?<![\w*])[*_](?=\S)([^*_]{0,1000}?\S)[*_](?![\w*])/g, '$1'],
  [/\*+/g, ''],
];

const INVISIBLE: Rule[] = [
  [/\p{Emoji_Modifier}|\u{FE0F}|\u{200D}|\u{20E3}/gu, ''],
  [/\p{Extended_Pictographic}|\p{Regional_Indicator}/gu, ' '],
  [/[\p{Cc}\p{Cf}\p{Co}\p{Cn}]+/gu, ' '],
];

/** Of an address only its host is spoken, and the mark that ends the sentence. */
function spokenHost(host: string, path = ''): string {
  const mark = /[.,;:!?]$/.exec(path || host)?.[0] ?? '';
  return (path === '' && mark !== '' ? host.slice(0, -1) : host) + mark;
}

/** Words as they are to be spoken, on one line, long ones cut; empty where nothing can be spoken. */
export function speakable(text: string): string {
  let out = text.normalize('NFC');
  for (const [pattern, put] of [...MARKDOWN, ...SYMBOLS, ...INVISIBLE])
    out = out.replace(pattern, put as string);
  out = out
    .replace(/\s+/g, ' ')
    .replace(/\s+([.,;:!?])/g, '$1')
    .replace(/^[,;:]\s*/, '')
    .trim()
    .replace(LONG_RUN, '$& ');
  return /[\p{L}\p{N}]/u.test(out) ? out : '';
}

/**
 * One written phrase as it is spoken: as several where it is too long for one, none where nothing can be
 * spoken.
 */
export function spokenParts(phrase: string): string[] {
  const text = speakable(phrase);
  return text.length <= MOST_PHRASE_CHARACTERS
    ? [text].filter(Boolean)
    : (text.match(LONG_TEXT) ?? []).map((part) => part.trim()).filter((part) => /[\p{L}\p{N}]/u.test(part));
}

/** A whole text in the phrases in which it is spoken. */
export function spokenPhrases(text: string): string[] {
  const { phrases, cutter } = cutPiece(newCutter(), text);
  return [...phrases, ...cutRest(cutter)].flatMap(spokenParts);
}
