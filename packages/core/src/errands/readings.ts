/** What the words from one place on may mean for a slot, by its kind. */
import { clockText, minuteOf, plusDays, type Moment } from '../calendar/calendar.js';
import type { ErrandWords } from '../language/errand-words.js';
import type { Meaning, SaidTime, Token } from '../language/meaning.js';
import { capital } from '../language/writing.js';
import { fitRule } from '../grammar/grammar.js';
import { choiceForms } from './choices.js';
import { valueOfKeys } from './contacts.js';
import type { Slot, SlotValue } from './contract.js';
import { phraseAt, textOf } from './tokens.js';

/** A name has at most so many words. */
const MOST_NAME_WORDS = 3;
/** Digits of a telephone number. */
const LEAST_PHONE_DIGITS = 5;
/** Words that stand behind a value of the slot. */
export const nearOf = ({ near = [], unit = [] }: Slot): readonly string[] => [...near, ...unit];

/** Without another word, a time of day is one of these hours: from seven in the morning on. */
const FIRST_USUAL_MINUTE = 7 * 60;

export interface Reading {
  /** Null where the words name something that there is not: no such day; several values where it may be any of them. */
  value: SlotValue | null;
  count: number;
  /** The words alone tell that a value of this kind is meant. */
  plain: boolean;
  options?: readonly string[];
  noSuchDay?: boolean;
}

export interface ReadingContext {
  words: ErrandWords;
  now: Moment;
  /** The day of the date slot beside a time, where it is known. */
  day: string | null;
  /** Half of the day that another part of the saying names. */
  part: 'first' | 'second' | null;
}

type At = (slot: Slot, said: readonly string[], at: number, context: ReadingContext) => Reading[];

const one = (value: SlotValue | null, count: number, plain: boolean): Reading[] => [{ value, count, plain }];

const oneChoice: At = ({ values = [] }, said, at) =>
  choiceForms(values)
    .filter(({ words }) => words.every((word, i) => said[at + i] === word || said[at + i] === `${word}'s`))
    .map(({ words, values: of }) =>
      of.length === 1
        ? { value: of[0]!, count: words.length, plain: true }
        : { value: null, count: words.length, plain: true, options: of },
    );

/** Of a slot that takes several: "Pavel, Mina and all wardens". */
const choice: At = (slot, said, at, context) => {
  const first = oneChoice(slot, said, at, context);
  if (!slot.several) return first;
  const longest = (from: number) =>
    oneChoice(slot, said, from, context)
      .filter(({ value }) => value !== null)
      .sort((a, b) => b.count - a.count)[0];
  const keys: string[] = [];
  let end = at;
  for (let next = longest(at); next;) {
    keys.push(String(next.value));
    end += next.count;
    const gap = Number(said[end] === context.words.and);
    next = longest(end + gap);
    if (next) end += gap;
  }
  return keys.length < 2 ? first : one(valueOfKeys([...new Set(keys)]), end - at, true);
};

const rule: At = (slot, said, at) => {
  const { grammar } = slot;
  const fit = grammar && fitRule(grammar, slot.rule ?? grammar.root, said, at);
  return fit ? one(fit.meaning ?? said.slice(at, at + fit.count).join(' '), fit.count, true) : [];
};

const count: At = (slot, said, at, { words, now }) => {
  const isOne = words.one.has(said[at]!) && phraseAt(said, at + 1, nearOf(slot)) > 0;
  if (isOne) return one(1, 1, true);
  const found = words.values.number(said, at, now);
  if (found) return one(found.value, found.count, false);
  const heard = Object.hasOwn(words.soundsLike, said[at]!) ? words.soundsLike[said[at]!]! : null;
  return heard !== null && phraseAt(said, at + 1, nearOf(slot)) > 0 ? one(heard, 1, true) : [];
};

/** "One to oh one": beside digits what sounds like one is one. */
function withDigits(said: readonly string[], { words, now }: ReadingContext): readonly string[] {
  const isDigit = (i: number) => i >= 0 && i < said.length && words.values.digits(said, i, now) !== null;
  return said.map((word, i) =>
    Object.hasOwn(words.soundsLike, word) && (isDigit(i - 1) || isDigit(i + 1))
      ? words.values.sayNumber(words.soundsLike[word]!)
      : word,
  );
}

const number: At = (_, said, at, { words, now }) => {
  const found = words.values.decimal(said, at, now);
  return found ? one(found.value, found.count, false) : [];
};

const money: At = (_, said, at, { words, now }) => {
  const found = words.values.money(said, at, now);
  return found ? one(`${found.value.amount.toFixed(2)} ${found.value.currency}`, found.count, true) : [];
};

const digits: At = ({ length }, said, at, context) => {
  const read = (all: readonly string[]) => context.words.values.digits(all, at, context.now);
  const plain = read(said);
  const whole = length === undefined ? null : digitsOf(length, [said, withDigits(said, context)], at, read);
  const found = whole ?? plain;
  return found ? one(found.value, found.count, whole !== null && length! >= 3) : [];
};

/** The first words that are so many digits: what comes after them may be another number. */
function digitsOf(
  length: number,
  ways: readonly (readonly string[])[],
  at: number,
  read: (said: readonly string[]) => Meaning<string> | null,
): Meaning<string> | null {
  for (const said of ways)
    for (let end = at + 1; end <= Math.min(said.length, at + length); end++) {
      const found = read(said.slice(0, end));
      if (found?.value.length === length) return found;
    }
  return null;
}

const phone: At = (_, said, at, { words, now }) => {
  const plus = Number(said[at] === 'plus' || said[at] === '+');
  const written = /^\+\d/.test(said[at] ?? '');
  const list = written ? [said[at]!.slice(1), ...said.slice(at + 1)] : said;
  const found = words.values.digits(list, written ? 0 : at + plus, now);
  if (!found || found.value.length < LEAST_PHONE_DIGITS) return [];
  return one(`${plus === 1 || written ? '+' : ''}${found.value}`, found.count + plus, true);
};

const date: At = (_, said, at, { words, now }) => {
  const found = words.values.day(said, at, now);
  if (!found) return [];
  return [
    {
      value: found.value,
      count: found.count,
      plain: true,
      ...(found.value === null ? { noSuchDay: true } : {}),
    },
  ];
};

/** Which of the two times a clock shows so: by the words, the bounds, what is still to come, and by day. */
export function settleTime(said: SaidTime, slot: Slot, { now, day, part }: ReadingContext): number {
  const half = said.half ?? (said.minute < 720 ? part : null);
  if (said.half !== null || said.minute >= 720) return said.minute;
  const both = [said.minute, said.minute + 720];
  if (half !== null) return both[half === 'first' ? 0 : 1]!;
  const least = typeof slot.least === 'string' ? minuteOf(slot.least) : 0;
  const most = typeof slot.most === 'string' ? minuteOf(slot.most) : 1_439;
  const inside = both.filter((minute) => minute >= least && minute <= most);
  if (inside.length === 1) return inside[0]!;
  if (day === null || day === now.day) return both.find((minute) => minute > now.minute) ?? both[0]!;
  return both.find((minute) => minute >= FIRST_USUAL_MINUTE)!;
}

const time: At = (slot, said, at, context) => {
  const { words, now } = context;
  const away = words.values.fromNow(said, at, now);
  if (away?.value.hasTime) return one(clockText(away.value.minute), away.count, true);
  const found = words.values.time(said, at, now);
  if (!found) return [];
  return one(clockText(settleTime(found.value, slot, context)), found.count, found.value.sure);
};

/** "tomorrow at six", "at half past six on friday", "in an hour", "now", "tonight at eight". */
const moment: At = (slot, said, at, context) => {
  const { words, now } = context;
  const away = words.values.fromNow(said, at, now);
  if (away?.value.hasTime) return one(`${away.value.day}T${clockText(away.value.minute)}`, away.count, true);
  let day: string | null | undefined;
  let clock: SaidTime | null = null;
  let part: 'first' | 'second' | null = null;
  let plain = false;
  let end = at;
  for (let i = at; i < said.length;) {
    const readDay = day === undefined ? words.values.day(said, i, now) : null;
    const readTime: Meaning<SaidTime> | null = clock === null ? words.values.time(said, i, now) : null;
    const readPart = words.values.partOfDay(said, i, now);
    if (readDay && readDay.count >= (readTime?.count ?? 0)) {
      day = readDay.value;
      // "Tonight" is a day and a part of it.
      part ??= readPart?.value ?? null;
      i += readDay.count;
    } else if (readTime && (readTime.value.sure || day !== undefined)) {
      clock = readTime.value;
      plain ||= readTime.value.sure;
      i += readTime.count;
    } else if (readPart) {
      part = readPart.value;
      i += readPart.count;
    } else if (i > at && words.leadIns.has(said[i]!)) {
      i++;
      continue;
    } else break;
    end = i;
  }
  if (clock === null) return [];
  if (day === null) return [{ value: null, count: end - at, plain: true, noSuchDay: true }];
  const minute = settleTime(clock, slot, { ...context, day: day ?? null, part });
  const isOver = day === undefined && minute <= now.minute;
  const on = day ?? (isOver ? plusDays(now.day, 1) : now.day);
  return one(`${on}T${clockText(minute)}`, end - at, plain || day !== undefined);
};

const duration: At = (_, said, at, { words, now }) => {
  const found = words.values.duration(said, at, now);
  return found ? one(found.value, found.count, true) : [];
};

const email: At = (_, said, at, { words, now }) => {
  const found = words.values.email(said, at, now);
  return found ? one(found.value, found.count, true) : [];
};

const spelled: At = (_, said, at, { words, now }) => {
  const found = words.values.letters(said, at, now);
  return found ? one(found.value, found.count, found.value.length >= 3) : [];
};

const yesNo: At = ({ yes = [], no = [] }, said, at) => {
  const [agreed, denied] = [phraseAt(said, at, yes), phraseAt(said, at, no)];
  if (agreed + denied === 0) return [];
  return one(agreed > denied, Math.max(agreed, denied), true);
};

/** A name is what stands there until a word comes that is none; one that is spelled out afterwards is written so. */
function name(
  slot: Slot,
  tokens: readonly Token[],
  said: readonly string[],
  at: number,
  context: ReadingContext,
): Reading[] {
  const { words, now } = context;
  const spelt = words.values.letters(said, at, now);
  if (spelt) return one(spelledName(spelt.value), spelt.count, false);
  const likely = choice(slot, said, at, context).find(({ value }) => value !== null);
  let end = at + (likely?.count ?? 0);
  if (!likely)
    while (end < said.length && end - at < MOST_NAME_WORDS && isNameWord(said[end]!, words)) {
      end++;
      // "This is Turner. Can you …": a sentence ends a name.
      if (/[.,;:!?]$/.test(tokens[end - 1]!.text)) break;
    }
  if (end === at) return [];
  let text = likely ? String(likely.value) : tokens.slice(at, end).map(nameOf).join(' ');
  const lead = phraseAt(said, end, words.spelling);
  const letters = words.values.letters(said, end + lead, now);
  if (letters) {
    text = [...text.split(' ').slice(0, -1), spelledName(letters.value)].join(' ');
    end += lead + letters.count;
  }
  return one(text, end - at, false);
}

/** As it was written where it has a capital. */
const nameOf = ({ word, text }: Token): string =>
  capital(/\p{Lu}/u.test(text) ? text.replace(/[.,;:!?]+$/, '') : word);

const spelledName = (letters: string) => capital(letters.toLowerCase());

function isNameWord(word: string, { notNames }: ErrandWords): boolean {
  return /^\p{L}[\p{L}'-]*$/u.test(word) && !notNames.has(word) && word.length > 1;
}

const BY_KIND = {
  choice, contact: choice, rule, count, number, money, digits, phone, date, time, moment, duration, email, spelled, 'yes-no': yesNo,
} as const satisfies Partial<Record<Slot['kind'], At>>; // prettier-ignore

/** All that the slot may take from this word on. Of free text and addresses that is the rest. @param said the words of the tokens */
export function readingsAt(
  slot: Slot,
  tokens: readonly Token[],
  said: readonly string[],
  at: number,
  context: ReadingContext,
): Reading[] {
  const { kind } = slot;
  if (kind === 'name') return name(slot, tokens, said, at, context);
  if (kind === 'text' || kind === 'address') {
    const text = textOf(tokens.slice(at));
    return text === '' ? [] : one(capital(text), tokens.length - at, false);
  }
  return BY_KIND[kind](slot, said, at, context);
}
