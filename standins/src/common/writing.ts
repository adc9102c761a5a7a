/**
 * How stand-ins write: the answer of the knowledge sheet, or the rest of it where its beginning was already
 * given.
 */
import { answer, type Said, type Question } from './answer.js';
import { readKnowledge, type Knowledge } from './knowledge.js';

export const NO_KNOWLEDGE: Knowledge = { huts: {}, nights: [], topics: [] };

export function knowledgeOf(file: string | undefined): Knowledge {
  return file === undefined ? NO_KNOWLEDGE : readKnowledge(file);
}

/** The pieces of an answer: a word each. */
export function piecesOf(knowledge: Knowledge, question: Question & { language?: string }): string[] {
  const given = question.talkSoFar.at(-1)?.by === 'assistant' ? question.talkSoFar.at(-1)!.words : '';
  const talkSoFar: Said[] = given === '' ? question.talkSoFar : question.talkSoFar.slice(0, -1);
  const whole = question.language?.startsWith('de')
    ? germanFor(talkSoFar)
    : answer(knowledge, { ...question, talkSoFar });
  return restAfter(whole, given).match(/\s*\S+/g) ?? [];
}

function restAfter(whole: string, given: string): string {
  const [words, before] = [whole.split(/\s+/), given.split(/\s+/).filter(Boolean)];
  const same = before.every((word, i) => words[i] === word);
  return same ? words.slice(before.length).join(' ') : whole;
}

/** A little German, for assistants that speak another language than they hear. */
function germanFor(talkSoFar: readonly Said[]): string {
  const text = talkSoFar.at(-1)?.words.toLowerCase() ?? '';
  if (/\b(path|weg|pfad)\b/.test(text)) return 'Ja, der Weg über den Sattel ist heute offen.';
  if (/\b(supper|dinner|abendessen)\b/.test(text)) return 'Abendessen gibt es um halb sieben.';
  if (/\b(bunk|bunks|bed|beds|bett|betten)\b/.test(text)) return 'Heute sind noch vier Betten frei.';
  return 'Das weiß ich leider nicht. Bitte fragen Sie den Hüttenwart.';
}
