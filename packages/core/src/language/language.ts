/** The languages that there are rules for. A further one is a folder beside `en/` and a line here. */
import { primaryOf } from '../vocabulary/language-tag.js';
import type { Language } from './common/contract.js';
import { german } from './de/german.js';
import { english } from './en/english.js';
import { plainLanguage } from './unknown.js';

/** With rules of their own. */
export const LANGUAGES: readonly Language[] = [english, german];
const others = new Map<string, Language>();

/** The language of a BCP 47 tag; plain rules for one that we have none for. */
export function languageOf(tag: string): Language {
  const primary = primaryOf(tag);
  const known = LANGUAGES.find(({ code }) => code === primary) ?? others.get(primary);
  if (known) return known;
  const plain = plainLanguage(primary);
  others.set(primary, plain);
  return plain;
}
