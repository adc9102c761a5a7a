/** How words sound: the dictionary of the local ears, whoever heard the words. */
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { HeardWord } from '@verbalon/core';
import { modelFolder } from './model.js';

/** The file, and where the line of each word begins; lines of its further pronunciations follow that. */
interface Dictionary {
  text: string;
  lines: ReadonlyMap<string, number>;
}

let read: Dictionary | null = null;

function dictionary(): Dictionary {
  if (read) return read;
  const file = join(modelFolder(), 'cmudict-en-us.dict');
  const text = existsSync(file) ? readFileSync(file, 'latin1') : '';
  const lines = new Map<string, number>();
  for (let at = 0; at < text.length;) {
    const word = text.slice(at, text.indexOf(' ', at));
    if (!word.endsWith(')')) lines.set(word, at);
    at = text.indexOf('\n', at) + 1 || text.length;
  }
  return (read = { text, lines });
}

/**
 * In ARPAbet without stress, the usual one first; empty for a word that is not in it. @param word in lower
 * case
 */
export function pronunciationsOf(word: string): string[] {
  const { text, lines } = dictionary();
  const found: string[] = [];
  for (let at = lines.get(word) ?? text.length; at < text.length;) {
    const end = text.indexOf('\n', at);
    const line = text.slice(at, end < 0 ? text.length : end);
    if (found.length > 0 && !line.startsWith(`${word}(`)) break;
    found.push(line.slice(line.indexOf(' ') + 1).trim());
    at += line.length + 1;
  }
  return found;
}

/** Words with their sound. @param own pronunciations that go before the dictionary's */
export function withPhones(words: readonly HeardWord[], own: Readonly<Record<string, string>>): HeardWord[] {
  return words.map((word) => {
    const spoken = word.word.toLowerCase();
    const phones = own[spoken] ?? pronunciationsOf(spoken)[0];
    return phones === undefined ? word : { ...word, phones };
  });
}
