/** What is said in the random worlds, by whom it is answered, and what happens how often. */
import type { Happening } from '../../src/conductor/contract/happenings.js';
import type { HeardWord } from '../../src/vocabulary/words.js';

export const TEXTS = [
  'goodbye',
  'mm hm',
  'yeah',
  'stop',
  'wait',
  'hut',
  'is the path open',
  'is the path open to heron hut',
  'please start over',
  '',
  'shorter',
  'longer',
  'yes',
  'no',
  'how many bunks are free',
  'three one',
  'book three bunks at',
  'um',
  'thank you',
  'book three bunks at rowan hut for friday under miller',
  'friday',
  'lantern hut',
  'yes please',
  'never mind',
  'what is the weather at heron hut',
];
export const PIECES = 'One two, three four five. ';
export const LINEUP = {
  stt: ['ears', 'other-ears'],
  llm: ['mind', 'other-mind'],
  tts: ['voice', 'other-voice'],
};

/** How many of a kind are put into the urn; one of the others. */
export const OFTEN: Partial<Record<Happening['kind'], number>> = {
  rang: 2,
  partial: 2,
  final: 4,
  piece: 3,
  thoughtDone: 2,
  audio: 4,
  played: 4,
  voiceBegan: 2,
};

export function mustKnow<V>(known: Map<number, V>, id: number): V {
  const found = known.get(id);
  if (found === undefined) throw new Error(`an order is for ${id}, which has ended`);
  return found;
}

/** The words of a text, spoken just before. */
export const wordsAt = (nowMs: number, text: string, confidence?: number): HeardWord[] =>
  text
    .split(' ')
    .filter(Boolean)
    .map((word, i) => ({
      word,
      fromMs: nowMs - 500 + i * 50,
      toMs: nowMs - 460 + i * 50,
      ...(confidence === undefined ? {} : { confidence }),
    }));

/** Values that a caller writes into a form; the last one belongs nowhere. */
export const WRITTEN = [
  { slot: 'bunks', value: 2 },
  { slot: 'hut', value: 'Rowan Hut' },
  { slot: 'night', value: 'friday' },
  { slot: 'none', value: 'x' },
];
