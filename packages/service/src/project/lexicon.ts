/** Pronunciations of names: a W3C PLS file (version 1.0) beside the assistants that use it. */
import { XMLParser, XMLValidator } from 'fast-xml-parser';
import { dictionaryWords, PHONES, unknownPhones } from '@verbalon/core';
import { ProblemError } from '../problems/problems.js';

interface Lexicon {
  lexicon?: { '@alphabet'?: string; lexeme?: { grapheme?: string[]; phoneme?: string[] }[] };
}

const LISTS = ['lexeme', 'grapheme', 'phoneme'];
const parser = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: '@',
  isArray: (name) => LISTS.includes(name),
});

/**
 * @param path tells which file is meant, in what is thrown
 * @returns phones (ARPAbet, without stress) by the words they are for
 * @throws ProblemError `lexicon-broken` with a line, where one is known
 */
export function parseLexicon(text: string, path: string): Record<string, string> {
  const broken = (what: string, line?: number) =>
    new ProblemError('lexicon-broken', `${path}${line === undefined ? '' : `:${line}`}: ${what}`, line);
  const declared = lineOf(text, '<!DOCTYPE');
  if (declared !== null) throw broken('a lexicon has no document type: take "<!DOCTYPE …>" out', declared);
  const formed = XMLValidator.validate(text);
  if (formed !== true) throw broken('it is not well-formed XML here', formed.err.line);
  const lexicon = rootOf(text);
  if (lexicon === null) throw broken('its tags stand within each other too deep', 1);
  if (lexicon['@alphabet'] !== 'x-arpabet')
    throw broken('its <lexicon> must say alphabet="x-arpabet"', lineOf(text, '<lexicon') ?? 1);
  const found: Record<string, string> = Object.create(null) as Record<string, string>;
  for (const { grapheme = [], phoneme = [] } of lexicon.lexeme ?? []) {
    const wrong = phoneme.find((sounds) => unknownPhones(sounds).length > 0);
    if (wrong !== undefined)
      throw broken(
        `"${grapheme[0] ?? ''}" has the phoneme "${unknownPhones(wrong)[0]}", which is none of ARPAbet: ${PHONES.join(' ')}`,
        lineOf(text, wrong) ?? undefined,
      );
    for (const word of grapheme)
      if (phoneme[0]) found[dictionaryWords(word).join(' ')] = phoneme[0].trim().replace(/[0-2]/g, '');
  }
  return found;
}

/** What stands in `<lexicon>`; null where the reader gives up. */
function rootOf(text: string): NonNullable<Lexicon['lexicon']> | null {
  try {
    return (parser.parse(text) as Lexicon).lexicon ?? {};
  } catch {
    return null;
  }
}

function lineOf(text: string, part: string): number | null {
  const at = text.indexOf(part);
  return at < 0 ? null : text.slice(0, at).split('\n').length;
}
