/**
 * How Cedar's model writes: as the others do, but that it looks things up where it may. A caller who asks
 * about the weather makes it call `forecast`, if that is offered; one who wants the warden rung makes it call
 * `ring`, offered or not.
 */
import type { Said } from '../common/answer.js';
import type { Knowledge } from '../common/knowledge.js';
import { piecesOf } from '../common/writing.js';

/** A line of the talk, as Cedar is given it. */
export type Line =
  | { from: 'them'; words: string }
  | { from: 'me'; words?: string; does?: { ref: string; what: string; with: unknown }[] }
  | { from: 'deed'; ref: string; gave: string };

export interface Asked {
  brief: string;
  log: Line[];
  can?: { what: string; why: string; takes: unknown }[];
}

export interface Deed {
  ref: string;
  what: string;
  with: Record<string, unknown>;
}

/** What it wants done before it answers; null where it knows enough. */
export function deedFor({ log, can = [] }: Asked): Deed | null {
  const last = log.at(-1);
  if (last?.from !== 'them') return null;
  const text = last.words.toLowerCase();
  const ref = `deed-${log.length}`;
  if (/\b(?:weather|forecast|rain|wind)\b/.test(text) && can.some(({ what }) => what === 'forecast'))
    return { ref, what: 'forecast', with: { place: 'the saddle' } };
  if (/\b(?:ring|call) the warden\b/.test(text)) return { ref, what: 'ring', with: { who: 'the warden' } };
  return null;
}

export function wordsFor(knowledge: Knowledge, { brief, log }: Asked): string[] {
  const last = log.at(-1);
  if (last?.from === 'deed') {
    const text = /\bno function\b/i.test(last.gave) ? 'I am sorry, I cannot do that from here.' : last.gave;
    return text.match(/\s*\S+/g) ?? [];
  }
  const talkSoFar = log.flatMap((line): Said[] =>
    line.from === 'deed' || !line.words
      ? []
      : [{ by: line.from === 'them' ? 'caller' : 'assistant', words: line.words }],
  );
  return piecesOf(knowledge, { persona: brief, talkSoFar, answerLength: 'short' });
}

/** What is wrong with a talk in which deeds and what they gave do not go together, or null. */
export function brokenLog(log: readonly Line[]): string | null {
  const open = new Set<string>();
  for (const line of log) {
    if (line.from === 'deed' ? !open.delete(line.ref) : open.size > 0)
      return line.from === 'deed' ? `nobody asked for ${line.ref}` : `${[...open].join(', ')} gave nothing`;
    if (line.from === 'me') for (const { ref } of line.does ?? []) open.add(ref);
  }
  return null;
}
