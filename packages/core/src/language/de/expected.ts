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
  always: [
    '[ja] (ja|genau|richtig|stimmt|gerne|okay|natürlich) [bitte|danke]',
    '(nein|nein danke|falsch|das stimmt nicht|lieber nicht|noch nicht)',
    '[vielen] (dank|danke) [schön]',
    '[danke|vielen dank] (auf wiederhören|auf wiedersehen|tschüss)',
    '(das war alles|das ist alles) [danke]',
    '[bitte] (stopp|warte|moment|noch einmal)',
    'ich möchte mit einem menschen sprechen',
  ],
  days: list('heute morgen montag dienstag mittwoch donnerstag freitag samstag sonntag'),
};
