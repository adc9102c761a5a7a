/** German where phrases are expected. */
import type { ExpectedWords } from '../common/contract.js';

const list = (words: string) => words.split(' ');

const DIGITS = list('null eins zwei zwo drei vier fünf sechs sieben acht neun');

export const GERMAN_EXPECTED: ExpectedWords = {
  fillers: new Set(list('äh ähm öh')),
  leadIns: new Set(list('äh ähm öh also ach und hallo hey guten tag bitte ja nein so')),
  numbers: new Set([
    ...DIGITS,
    ...list('ein eine einen zehn elf zwölf dreizehn vierzehn fünfzehn sechzehn siebzehn achtzehn neunzehn'),
    ...list('zwanzig dreißig vierzig fünfzig sechzig siebzig achtzig neunzig hundert'),
  ]),
  digits: DIGITS,
  counts: list('ein eine einen zwei drei vier fünf sechs sieben acht neun zehn elf zwölf zwanzig'),
  days: list('heute morgen montag dienstag mittwoch donnerstag freitag samstag sonntag'),
};
