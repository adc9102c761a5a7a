/** How complete English words are: could the caller have finished here? */
import type { Sign } from '../../vocabulary/grounds.js';
import type { Completeness } from '../common/contract.js';

const set = (words: string) => new Set(words.split(/\s+/));

const FILLERS = set('um uh er erm hmm hm mm ah eh');
const CONJUNCTIONS = set(
  'and or but because if that so when while whether than as although though until unless since nor plus where which who whose',
);
const PREPOSITIONS = set(
  'at on in to for from with of by under about into between near via during without against towards toward through among beside behind like except onto upon per',
);
/** These may well end a saying, too: "is the path over?" */
const LOOSE_PREPOSITIONS = set('over below above across before after around down up off out inside outside');
const DETERMINERS = set(
  'the a an my our your his her their its this these every each some any another no which what whose several many much few',
);
const HELPERS = set(
  "is are was were am be been do does did can could will would shall should may might must has have had isn't aren't don't doesn't can't couldn't won't wouldn't i'm we're they're you're it's that's there's i'd we'd i'll we'll i've we've let's gonna wanna",
);
const SUBJECTS = set('i we they he she you it');
const ADVERBS = set(
  'very quite rather really just only almost even too more most less least actually maybe perhaps probably also still about',
);
/** Verbs and others that want more after them. */
const WANTING = set(
  'want need book bring tell ask give make send get reserve like prefer call serve cost mean hurt lost instead name number between least keep put take say says said',
);
/** Sayings, each with its words. */
const ends = (sayings: readonly string[]) => sayings.map((saying) => ({ saying, words: saying.split(' ') }));
/** Ends of sentences that want more, of several words. */
const WANTING_ENDS = ends([
  'how many',
  'how much',
  'what time',
  'how far',
  'how long',
  'how high',
  'is there',
  'are there',
  'do you',
  'can you',
  'could you',
  'can i',
  'may i',
  'would like',
  "i'd like",
  "we'd like",
  'i have',
  'we have',
  'want to',
  'going to',
  'the name',
  'name is',
  'number is',
  'over to',
  'a bit',
  'a lot of',
  'i mean',
  'no wait',
  'or rather',
  'the water',
  'the north',
  'the water pump',
  'the party',
  'the people',
  'make it',
  'more than',
  'instead of',
  'because of',
  'the way',
  'the walk',
  'the path',
  'the road',
  'a sleeping',
  'the next',
  'is it',
  'are we',
  'do we',
  'do i',
  'we need',
  'i need',
  'i want',
  'we want',
  'me',
  'under the',
  'the same',
  'we are',
  'who is',
  'what is',
  'where is',
  'when is',
  'how is',
]);
/** Where one takes back what one has just said. */
/** "Know" is how "no" is misheard. */
const CORRECTIONS = set('no know sorry rather wait');
const ASKING = set(
  'is are was were do does did can could will would shall should may might must has have had who what when where why how which whose',
);
const ORDERING = set(
  'book tell give make send reserve call ask open close hand put cancel show read repeat bring take please say add change',
);
const CLOSING = set(
  'please thanks goodbye bye today tonight tomorrow now too again instead there then yes no okay ok alright right exactly sure nothing',
);
const CLOSING_ENDS = ends([
  'thank you',
  'thanks a lot',
  'very much',
  'that is all',
  "that's all",
  'of course',
  'for now',
  'good night',
  'not yet',
]);
const GREETINGS = set('hello hi hey morning evening afternoon');
const DIGITS = set('zero oh one two three four five six seven eight nine double triple');
const NUMBERS = set('one two three four five six seven eight nine ten eleven twelve');
const TENS = set('twenty thirty forty fifty sixty seventy eighty ninety');
const ORDINALS = set(
  'first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth seventeenth eighteenth nineteenth twentieth thirtieth',
);
const OPENING = set('if when because since after before while although once unless');
/** A telephone number has at least so many digits. */
const TELEPHONE = 6;

/** What is looked at: the words without fillers, and what the assistant said last. */
interface Saying {
  said: readonly string[];
  last: string;
  before: string;
  names: readonly string[];
  asked: string;
}
type EndRule = (saying: Saying) => Completeness | null;

const endsIn = (score: number, words: string): Completeness => ({ score, sign: { sign: 'endsWith', words } });
const afterPhrase =
  (score: number, ends: readonly { words: readonly string[]; saying: string }[]): EndRule =>
  ({ said }) => {
    const found = ends.find(({ words }) => endsWith(said, words));
    return found === undefined ? null : endsIn(score, found.saying);
  };
const afterWord =
  (kind: ReadonlySet<string>, score: (saying: Saying) => number): EndRule =>
  (saying) =>
    kind.has(saying.last) ? endsIn(score(saying), saying.last) : null;

/** The first that fits has it. A word may be of several kinds: "for" ends a question that asks for it. */
const END_RULES: readonly EndRule[] = [
  ({ said }) => (said.length === 0 ? { score: 0, sign: { sign: 'noWords' } } : null),
  ({ last }) => (FILLERS.has(last) ? { score: -0.9, sign: { sign: 'endsWithFiller', word: last } } : null),
  ({ said, names }) => {
    const name = brokenName(said, names);
    return name === null ? null : { score: -0.95, sign: { sign: 'nameBegun', words: name } };
  },
  ({ said, asked }) => {
    const answer = answerTo(asked, said);
    return answer === null ? null : { score: 0.9, sign: answer };
  },
  ({ said, last, before }) =>
    said.length > 1 && CORRECTIONS.has(last) && !ASKING.has(before)
      ? { score: -0.8, sign: { sign: 'takenBack', word: last } }
      : null,
  afterPhrase(0.9, CLOSING_ENDS),
  afterPhrase(-0.85, WANTING_ENDS),
  ({ said }) => unfinishedNumber(said),
  afterWord(PREPOSITIONS, ({ said }) => (isQuestionFor(said) ? 0.1 : -0.9)),
  afterWord(LOOSE_PREPOSITIONS, () => -0.5),
  // "That" may be all that is meant.
  afterWord(CONJUNCTIONS, ({ last }) => (last === 'so' || last === 'that' ? -0.6 : -0.95)),
  (saying) => (saying.said.length > 1 ? afterWord(DETERMINERS, () => -0.9)(saying) : null),
  afterWord(new Set([...HELPERS, ...SUBJECTS]), ({ last }) => (last === 'it' || last === 'you' ? 0 : -0.85)),
  afterWord(ADVERBS, () => -0.6),
  afterWord(WANTING, () => -0.6),
  afterWord(CLOSING, () => 0.8),
];

/** @param words in lower case; `asked` is what the assistant said last */
export function englishCompleteness(
  words: readonly string[],
  names: readonly string[],
  asked: string,
): Completeness {
  const said = words.filter((word, i) => !FILLERS.has(word) || i === words.length - 1);
  const saying = { said, last: said.at(-1) ?? '', before: said.at(-2) ?? '', names, asked };
  for (const rule of END_RULES) {
    const found = rule(saying);
    if (found) return found;
  }
  return byForm(said);
}

function byForm(said: readonly string[]): Completeness {
  const first =
    said.find((word) => !GREETINGS.has(word) && word !== 'and' && word !== 'so' && word !== 'well') ?? '';
  if (
    said.every((word) => GREETINGS.has(word) || word === 'good') ||
    (GREETINGS.has(said[0]!) && said.length <= 2)
  )
    return { score: -0.2, sign: { sign: 'greeting' } };
  if (OPENING.has(first) && said.length < 7) return { score: -0.5, sign: { sign: 'beganWith', word: first } };
  if (ASKING.has(first) && said.length >= 3) return { score: 0.6, sign: { sign: 'wholeQuestion' } };
  if (ASKING.has(first)) return { score: -0.5, sign: { sign: 'questionBegun' } };
  if (ORDERING.has(first) && said.length >= 3) return { score: 0.5, sign: { sign: 'wholeRequest' } };
  if (ORDERING.has(first)) return { score: -0.4, sign: { sign: 'requestBegun' } };
  if (said.length >= 4) return { score: 0.35, sign: { sign: 'wholeSentence' } };
  return { score: said.length >= 2 ? 0.1 : -0.1, sign: { sign: 'fewWords' } };
}

function endsWith(words: readonly string[], end: readonly string[]): boolean {
  const from = words.length - end.length;
  return from >= 0 && end.every((word, i) => words[from + i] === word);
}

/**
 * Beginnings of names of several words that are no names themselves: "heron" of "Heron Hut". Worked out once
 * for each list.
 */
const begunNames = new WeakMap<readonly string[], ReturnType<typeof ends>>();

function beginningsOf(names: readonly string[]): ReturnType<typeof ends> {
  const known = begunNames.get(names);
  if (known) return known;
  const whole = names.map((name) => name.toLowerCase());
  const begun = whole.flatMap((name) => {
    const parts = name.split(' ');
    return parts.slice(1).map((_, i) => parts.slice(0, parts.length - 1 - i).join(' '));
  });
  const found = ends([...new Set(begun)].filter((one) => !whole.includes(one)));
  begunNames.set(names, found);
  return found;
}

/** The beginning of a name at the very end. */
function brokenName(said: readonly string[], names: readonly string[]): string | null {
  return beginningsOf(names).find(({ words }) => endsWith(said, words))?.saying ?? null;
}

/** What the assistant has just asked for, in few words. */
function answerTo(asked: string, said: readonly string[]): Sign | null {
  if (!/\?\s*$/.test(asked) || said.length > 4) return null;
  const question = asked.toLowerCase().slice(Math.max(0, asked.slice(0, -2).search(/[.!?][^.!?]*$/)));
  const last = said.at(-1)!;
  const first = said[0]!;
  if (/^(?:yes|yeah|yep|no|nope|okay|ok|sure|correct|right|exactly)$/.test(first) && said.length <= 2)
    return { sign: 'answersQuestion' };
  if (/how (?:many|much)|number/.test(question) && NUMBERS.has(last)) return { sign: 'numberAskedFor' };
  if (/which (?:night|day)|when|what day/.test(question) && /(?:day|tonight|tomorrow)$/.test(last))
    return { sign: 'dayAskedFor' };
  if (
    /name|who/.test(question) &&
    said.length <= 2 &&
    !SUBJECTS.has(last) &&
    !HELPERS.has(last) &&
    !DETERMINERS.has(last)
  )
    return { sign: 'nameAskedFor' };
  return null;
}

function unfinishedNumber(said: readonly string[]): Completeness | null {
  const last = said.at(-1)!;
  let digits = 0;
  while (DIGITS.has(said[said.length - 1 - digits] ?? '')) digits++;
  if (digits >= 2 && digits < TELEPHONE) return { score: -0.8, sign: { sign: 'digitsMissing', digits } };
  if (digits >= TELEPHONE)
    return { score: digits < 9 ? -0.25 : 0.3, sign: { sign: 'digitsMayBeAll', digits } };
  if (['hundred', 'thousand', 'point', 'double', 'triple'].includes(last))
    return { score: -0.5, sign: { sign: 'numberGoesOn', word: last } };
  const inDate = said.slice(-4).includes('the');
  if (TENS.has(last) && inDate) return { score: -0.9, sign: { sign: 'dateGoesOn', word: last } };
  if (ORDINALS.has(last) && inDate) return { score: -0.3, sign: { sign: 'monthMayFollow' } };
  if (NUMBERS.has(last) && said.length > 1) return { score: -0.15, sign: { sign: 'mayFollow', word: last } };
  return null;
}

/** "What is it for", "where do you come from". */
function isQuestionFor(said: readonly string[]): boolean {
  return /^(?:what|where|who|which)$/.test(said[0]!) && said.length >= 3 && said.length <= 6;
}
