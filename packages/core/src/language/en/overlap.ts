/** What people say while somebody else speaks: to stop them, or only to show that they listen. */
import type { Overlap } from '../language.js';

/** At the beginning of what is said over the assistant these want the floor at once … */
const AT_ONCE = [
  'stop',
  'wait',
  'hold on',
  'hang on',
  'excuse me',
  'shut up',
  'just a moment',
  'just a second',
];
/** … and these do if they were said: they are short enough to be heard in a noise. */
const STOPS = ['no', 'sorry', 'pardon', 'quiet', 'enough', 'one moment', 'one second', 'actually', 'hey', 'never mind', 'cancel', 'listen']; // prettier-ignore
/** A listener's "I hear you", in the spellings of recognisers. */
const NODS = new Set(
  'mm mhm mmhm hm hmm mmm mm-hm mm-hmm mhmm uh-huh uh huh um ah oh aha ha yeah yes yep yup okay ok right sure good great nice fine well really wow true exactly cool lovely alright'.split(
    ' ',
  ),
);
const NOD_PHRASES = new Set([
  'i see',
  'all right',
  'go on',
  'of course',
  'got it',
  'oh really',
  'is that so',
  'very good',
  'makes sense',
  'that is good',
  'good good',
]);
const MOST_NODS = 4;

export function englishOverlap(words: readonly string[]): Overlap {
  const text = words.join(' ');
  const begins = (stop: string) => text === stop || text.startsWith(`${stop} `);
  if (AT_ONCE.some(begins)) return 'stop!';
  if (STOPS.some(begins)) return 'stop';
  if (words.length === 0 || words.length > MOST_NODS) return 'none';
  return words.every((word) => NODS.has(word)) || NOD_PHRASES.has(text) ? 'nod' : 'none';
}
