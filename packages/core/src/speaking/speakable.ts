/**
 * Text made fit for speech: what is written for the eye (Markdown, links, symbols) becomes words, or goes.
 * It never adds a sentence of its own.
 */

import { cutPiece, cutRest, newCutter } from './phrase-cutter.js';

type Rule = [pattern: RegExp, put: string | ((...found: string[]) => string)];

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

const MARKDOWN: Rule[] = [
  [/```[\s\S]*?(?:```|$)/g, ' '],
  [/`([^`]*)`/g, '$1'],
  [/!\[([^\]]*)\]\([^)]*\)/g, '$1'],
  [/\[([^\]]+)\]\([^)]*\)/g, '$1'],
  [/<https?:\/\/([^\s/>]+)[^\s>]*>/g, '$1'],
  [/\bhttps?:\/\/(?:www\.)?([^\s/)]+?)([.,;:!?]?)(?:\/[^\s)]*?)?([.,;:!?]?)(?=[\s)]|$)/g, '$1$2$3'],
  [/<\/?[a-z][^>]*>/gi, ' '],
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
  [/(\*\*|__|~~)(?=\S)([\s\S]*?\S)\1/g, '$2'],
  [/(?<![\w*])[*_](?=\S)([^*_]*?\S)[*_](?![\w*])/g, '$1'],
  [/\*+/g, ''],
];

const INVISIBLE: Rule[] = [
  [/\p{Emoji_Modifier}|\u{FE0F}|\u{200D}|\u{20E3}/gu, ''],
  [/\p{Extended_Pictographic}|\p{Regional_Indicator}/gu, ' '],
  [/[\p{Cc}\p{Cf}\p{Co}\p{Cn}]+/gu, ' '],
];

/** Words as they are to be spoken, on one line; empty where nothing can be spoken. */
export function speakable(text: string): string {
  let out = text.normalize('NFC');
  for (const [pattern, put] of [...MARKDOWN, ...SYMBOLS, ...INVISIBLE])
    out = out.replace(pattern, put as string);
  out = out
    .replace(/\s+/g, ' ')
    .replace(/\s+([.,;:!?])/g, '$1')
    .replace(/^[,;:]\s*/, '')
    .trim();
  return /[\p{L}\p{N}]/u.test(out) ? out : '';
}

/** A whole text in the phrases in which it is spoken. */
export function spokenPhrases(text: string): string[] {
  const { phrases, cutter } = cutPiece(newCutter(), text);
  return [...phrases, ...cutRest(cutter)].map(speakable).filter(Boolean);
}
