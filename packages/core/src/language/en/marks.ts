/** Capitals and sentence marks: where a sentence begins and ends, and whether it is a question. */
import { capital, type MarkOptions, type Token } from '../common/writing.js';
import { isDay } from './times.js';

/** A pause this long may end a sentence. */
const SENTENCE_PAUSE_MS = 700;

const set = (words: string) => new Set(words.split(' '));
const ALWAYS_CAPITAL = set('i english french german italian spanish mr mrs ms dr christmas easter');
/** What cannot end a sentence. */
const CONTINUING = set(
  'and or but because so if when while that which who the a an my your our their his her its these of at on in for from to with by under over below above into about is are was were be am do does did can could will would should may might must have has i we they he she not very um uh er',
);
/** What goes on after a pause rather than begins anew. */
const GOING_ON = set(
  'and or but because so that which who of at on in for from to with by under over below above into than then please',
);
const WH = set('what which who whose whom where why how when');
const AUX = set(
  "is are am was were do does did can could will would should shall may might have has had must isn't aren't wasn't weren't don't doesn't didn't can't couldn't won't wouldn't shouldn't haven't hasn't what's where's who's how's when's",
);
const SUBJECT = set(
  'i you he she it we they there this that these those anyone anybody someone somebody anything everything everyone',
);
const DETERMINER = set('the a an my your our his her their its any some all each every no another both');
const FILLERS = set('um uh er erm so and but then please now just also actually oh well');
const TAGS = [
  "isn't it",
  'is it',
  "aren't they",
  "don't you",
  "doesn't it",
  "isn't there",
  'right',
  'correct',
  "aren't you",
  "can't i",
  "can't we",
];
/** Openers are set off by a comma: "Hello, is …", "No, wait, make it four." */
const OPENERS = [
  'good morning',
  'good evening',
  'good afternoon',
  'good day',
  'excuse me',
  'hello',
  'hi',
  'hey',
  'yes',
  'no',
  'okay',
  'ok',
  'well',
  'oh',
  'wait',
  'sorry',
  'thanks',
  'yeah',
  'yep',
  'nope',
];
/** Courtesies are sentences of their own. */
const COURTESIES = [
  'thank you very much',
  'thank you so much',
  'thanks a lot',
  'thank you',
  'thanks',
  'good bye',
  'goodbye',
  'bye bye',
  'bye',
  'good night',
  'see you',
];

function startsWith(words: readonly string[], at: number, phrase: string): number {
  const parts = phrase.split(' ');
  return parts.every((part, i) => words[at + i] === part) ? parts.length : 0;
}

function longestAt(words: readonly string[], at: number, phrases: readonly string[]): number {
  return phrases.reduce((most, phrase) => Math.max(most, startsWith(words, at, phrase)), 0);
}

/** Is this sentence a question? `words` are its spoken words; `isName` says which of them begin a name. */
export function isQuestion(words: readonly string[], isName: (i: number) => boolean): boolean {
  const at = afterOpeners(words, isName);
  const rest = words.slice(at);
  if (rest.length === 0) return false;
  if (tagOf(rest)) return true;
  const [first, second = ''] = rest as [string, string?];
  if (WH.has(first)) return isWhQuestion(first, second, rest);
  if (AUX.has(first)) return isInverted(first, second, isName(at + 1));
  if (/^(?:any|anything|anyone|anybody)$/.test(first)) return true;
  // "And at Rowan Hut?", "And on Friday?"
  return (
    words[at - 1] === 'and' &&
    rest.length <= 6 &&
    /^(?:at|on|in|for|from|to|tomorrow|tonight|today|breakfast|supper|dinner)$/.test(first)
  );
}

/** Where the sentence itself begins: after "well, um, Tansy". */
function afterOpeners(words: readonly string[], isName: (i: number) => boolean): number {
  // Who is spoken to.
  const isAddressed = (at: number) =>
    at > 0 && at < words.length - 1 && isName(at) && !FILLERS.has(words[at - 1]!) && opens(words, at + 1);
  for (let at = 0; ;) {
    const opener = longestAt(words, at, OPENERS);
    const one = FILLERS.has(words[at] ?? '') || isAddressed(at) ? 1 : 0;
    if (opener + one === 0) return at;
    at += opener || one;
  }
}

/** The tag that makes a statement a question: "the hut is open, isn't it". */
function tagOf(words: readonly string[]): string | undefined {
  if (opens(words, 0) || words.length <= 2) return undefined;
  const text = words.join(' ');
  return TAGS.find(
    (tag) =>
      text.endsWith(` ${tag}`) &&
      !/ (?:is|are|was|all|that's|the|on|turn|keep) (?:right|correct)$/.test(` ${text}`),
  );
}

function opens(words: readonly string[], at: number): boolean {
  return WH.has(words[at] ?? '') || AUX.has(words[at] ?? '');
}

function isWhQuestion(first: string, second: string, rest: readonly string[]): boolean {
  if (second === '') return true;
  if (first === 'when') return AUX.has(second);
  if (first === 'what' && (second === 'a' || second === 'an')) return rest.some((word) => AUX.has(word));
  // "what I want is …" is no question: the subject stands where the verb of a question would.
  return !(SUBJECT.has(second) && second !== 'this' && second !== 'that');
}

function isInverted(first: string, second: string, secondIsName: boolean): boolean {
  if (second === '' || second === 'not') return false;
  if (/^(?:do|don't)$/.test(first)) return SUBJECT.has(second) || DETERMINER.has(second) || secondIsName;
  if (/^(?:have|had|must|may|might)$/.test(first)) return SUBJECT.has(second) && second !== 'that';
  return true;
}

/** Index of the last token of each sentence. */
function sentenceEnds(tokens: readonly Token[]): Set<number> {
  const spoken = tokens.map(({ spoken: words }) => words.join(' '));
  const ends = new Set<number>();
  tokens.forEach(({ pauseMs }, i) => {
    if (i === 0) return;
    const before = tokens[i - 1]!.spoken.at(-1)!;
    const now = tokens[i]!.spoken[0]!;
    if (pauseMs >= SENTENCE_PAUSE_MS && !CONTINUING.has(before) && !GOING_ON.has(now)) ends.add(i - 1);
  });
  for (let i = 0; i < spoken.length; i++) {
    const length = longestAt(spoken, i, COURTESIES);
    if (length === 0) continue;
    const wholeBefore =
      i === 0 ||
      ends.has(i - 1) ||
      spoken.slice(Math.max(0, i - 1), i).every((word) => !CONTINUING.has(word));
    const isThanksFor = spoken[i + length] === 'for';
    if (i > 0 && wholeBefore && !isOpenerOnly(spoken.slice(startOf(ends, i), i))) ends.add(i - 1);
    if (!isThanksFor && wholeBefore && i + length < spoken.length) ends.add(i + length - 1);
    i += length - 1;
  }
  return ends;
}

function startOf(ends: Set<number>, at: number): number {
  for (let i = at - 1; i >= 0; i--) if (ends.has(i)) return i + 1;
  return 0;
}

/** "Yes, thank you.", "No, thanks." are one sentence. */
function isOpenerOnly(words: readonly string[]): boolean {
  let at = 0;
  while (at < words.length) {
    const length = longestAt(words, at, OPENERS);
    if (length === 0) return false;
    at += length;
  }
  return true;
}

/** Puts capitals and marks to tokens, in place of none. */
export function punctuate(tokens: readonly Token[], { begins, ends, isName }: MarkOptions): string[] {
  const written = tokens.map(({ written: text, spoken }) => capitalised(text, spoken));
  const breaks = sentenceEnds(tokens);
  let from = 0;
  tokens.forEach((_, i) => {
    const isLast = i === tokens.length - 1;
    if (!breaks.has(i) && !isLast) return;
    const sentence = tokens.slice(from, i + 1);
    if (from > 0 || begins) written[from] = capital(written[from]!);
    commas(sentence, from, written, isName);
    if (!isLast || ends) written[i] += endMark(written[i]!, sentence, (k) => isName(from + k));
    from = i + 1;
  });
  return written;
}

function endMark(last: string, sentence: readonly Token[], isName: (i: number) => boolean): string {
  // Tokens, not words: a name of two words counts as one here, which is what its place is asked for.
  const question = isQuestion(
    sentence.map(({ spoken }) => spoken.join(' ')),
    isName,
  );
  if (question) return '?';
  return last.endsWith('.') ? '' : '.';
}

function commas(
  sentence: readonly Token[],
  from: number,
  written: string[],
  isName: (i: number) => boolean,
): void {
  const words = sentence.map(({ spoken }) => spoken.join(' '));
  let at = 0;
  for (
    let length = openerAt(words, at);
    length > 0 && at + length < words.length;
    length = openerAt(words, at)
  ) {
    at += length;
    // Who is greeted belongs to the greeting: "Hello Tansy, is …"
    if (isGreeting(words.slice(0, at))) while (at < words.length && isName(from + at)) at++;
    if (at < words.length) written[from + at - 1] += ',';
  }
  const tag = tagOf(words.slice(words.findIndex((word) => !FILLERS.has(word))));
  if (tag) {
    const place = from + words.length - tag.split(' ').length - 1;
    if (place >= from && !written[place]!.endsWith(',')) written[place] += ',';
  }
  if (words.length > 2 && words.at(-1) === 'please' && !written[from + words.length - 2]!.endsWith(','))
    written[from + words.length - 2] += ',';
}

function openerAt(words: readonly string[], at: number): number {
  const length = longestAt(words, at, OPENERS);
  // "no" and "well" may belong to what follows: "no bunks are free".
  if (
    words[at] === 'no' &&
    /^(?:one|bunks?|beds?|room|problem|more|idea|rush|worries|need|way|matter|longer|doubt|supper|breakfast)$/.test(
      words[at + 1] ?? '',
    )
  )
    return 0;
  if (words[at] === 'wait' && /^(?:for|until|till|a|here|there)$/.test(words[at + 1] ?? '')) return 0;
  if (words[at] === 'thanks' && words[at + 1] === 'for') return 0;
  if (words[at] === 'sorry' && /^(?:for|about|to)$/.test(words[at + 1] ?? '')) return 0;
  return length;
}

function isGreeting(words: readonly string[]): boolean {
  return /(?:hello|hi|hey|good (?:morning|evening|afternoon|day)|excuse me|thanks)$/.test(words.join(' '));
}

function capitalised(text: string, spoken: readonly string[]): string {
  const word = spoken[0]!;
  if (spoken.length > 1 || text !== word) return text;
  if (ALWAYS_CAPITAL.has(word) || isDay(word)) return capital(text);
  return /^i'/.test(word) ? capital(text) : text;
}
