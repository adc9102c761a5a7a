/** How stand-ins write: the answer of the knowledge sheet, or the rest of it where its beginning was already given. */
import { answer, type Message, type Question } from '../thinker/answer.js';
import { readKnowledge, type Knowledge } from '../thinker/knowledge.js';

export const NO_KNOWLEDGE: Knowledge = { huts: {}, nights: [], topics: [] };

export function knowledgeOf(file: string | undefined): Knowledge {
  return file === undefined ? NO_KNOWLEDGE : readKnowledge(file);
}

/** The pieces of an answer: a word each. */
export function piecesOf(knowledge: Knowledge, question: Question & { language?: string }): string[] {
  const given = question.messages.at(-1)?.role === 'assistant' ? question.messages.at(-1)!.text : '';
  const messages: Message[] = given === '' ? question.messages : question.messages.slice(0, -1);
  const whole = question.language?.startsWith('de')
    ? germanFor(messages)
    : answer(knowledge, { ...question, messages });
  return restAfter(whole, given).match(/\s*\S+/g) ?? [];
}

function restAfter(whole: string, given: string): string {
  const [words, before] = [whole.split(/\s+/), given.split(/\s+/).filter(Boolean)];
  const same = before.every((word, i) => words[i] === word);
  return same ? words.slice(before.length).join(' ') : whole;
}

/** A little German, for assistants that speak another language than they hear. */
function germanFor(messages: readonly Message[]): string {
  const text = messages.at(-1)?.text.toLowerCase() ?? '';
  if (/\b(path|weg|pfad)\b/.test(text)) return 'Ja, der Weg über den Sattel ist heute offen.';
  if (/\b(supper|dinner|abendessen)\b/.test(text)) return 'Abendessen gibt es um halb sieben.';
  if (/\b(bunk|bunks|bed|beds|bett|betten)\b/.test(text)) return 'Heute sind noch vier Betten frei.';
  return 'Das weiß ich leider nicht. Bitte fragen Sie den Hüttenwart.';
}
