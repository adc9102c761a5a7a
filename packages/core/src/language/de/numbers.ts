/** German numbers in words, written together or apart: cardinals, ordinals, digits one by one. */

const UNITS = new Map(
  Object.entries({
    null: 0,
    ein: 1,
    eins: 1,
    eine: 1,
    einen: 1,
    einem: 1,
    einer: 1,
    zwei: 2,
    zwo: 2,
    drei: 3,
    vier: 4,
    fünf: 5,
    sechs: 6,
    sieben: 7,
    acht: 8,
    neun: 9,
  }),
);
const TEENS = new Map(
  Object.entries({
    zehn: 10,
    elf: 11,
    zwölf: 12,
    dreizehn: 13,
    vierzehn: 14,
    fünfzehn: 15,
    sechzehn: 16,
    siebzehn: 17,
    achtzehn: 18,
    neunzehn: 19,
  }),
);
const TENS = new Map(
  Object.entries({
    zwanzig: 20,
    dreißig: 30,
    dreissig: 30,
    vierzig: 40,
    fünfzig: 50,
    sechzig: 60,
    siebzig: 70,
    achtzig: 80,
    neunzig: 90,
  }),
);
const IRREGULAR = new Map(Object.entries({ erst: 1, dritt: 3, siebt: 7, siebent: 7, acht: 8 }));
/** Articles too: by themselves they count nothing. */
const ARTICLES = new Set(['ein', 'eine', 'einen', 'einem', 'einer']);

/** A whole number that is one word; null for one that is none. */
export function valueOf(word: string): number | null {
  const known = UNITS.get(word) ?? TEENS.get(word) ?? TENS.get(word);
  if (known !== undefined) return known;
  const thousand = split(word, 'tausend', 1_000);
  if (thousand !== undefined) return thousand;
  const hundred = split(word, 'hundert', 100);
  if (hundred !== undefined) return hundred;
  const [, unit, tens] = /^(.+?)und(.+)$/.exec(word) ?? [];
  const [low, high] = [UNITS.get(unit ?? ''), TENS.get(tens ?? '')];
  return low !== undefined && low > 0 && high !== undefined ? high + low : null;
}

function split(word: string, name: string, times: number): number | null | undefined {
  const at = word.indexOf(name);
  if (at < 0) return undefined;
  const before = word.slice(0, at);
  const after = word.slice(at + name.length).replace(/^und(?=.)/, '');
  const high = before === '' ? 1 : valueOf(before);
  const low = after === '' ? 0 : valueOf(after);
  return high === null || low === null || low >= times ? null : high * times + low;
}

export interface ReadNumber {
  value: number;
  count: number;
}

/** A whole number, as long as it goes; null where none begins. An article alone is none. */
export function readNumber(words: readonly string[], at: number): ReadNumber | null {
  const first = readPart(words, at);
  if (!first) return null;
  const million = /^million(?:en)?$/.test(words[at + first.count] ?? '');
  if (!million) return first.count === 1 && ARTICLES.has(words[at]!) ? null : first;
  const count = first.count + 1;
  const rest = readPart(words, at + count);
  return { value: first.value * 1e6 + (rest?.value ?? 0), count: count + (rest?.count ?? 0) };
}

/** Below a million; "zwei hundert", "ein und zwanzig" and "tausend fünfhundert" may come in several words. */
function readPart(words: readonly string[], at: number): ReadNumber | null {
  let best: ReadNumber | null = null;
  let text = '';
  for (let i = at; i < Math.min(words.length, at + 8); i++) {
    text += words[i];
    const value = valueOf(text);
    // Units that follow each other are digits, not a number.
    if (value !== null) best = { value, count: i - at + 1 };
    else if (!/^(?:und|hundert|tausend)$/.test(words[i]!) && !/(?:und|hundert|tausend)$/.test(text)) break;
  }
  return best;
}

/** "dritte", "dreiundzwanzigsten": its value, or null. */
export function ordinalOf(word: string): number | null {
  const stem = /^(.+?)e[nrsm]?$/.exec(word)?.[1];
  if (stem === undefined) return null;
  const known = IRREGULAR.get(stem);
  if (known !== undefined) return known;
  const [, tens] = /^(.+)st$/.exec(stem) ?? [];
  const [, unit] = /^(.+)t$/.exec(stem) ?? [];
  const high = tens === undefined ? null : valueOf(tens);
  if (high !== null && high >= 20) return high;
  const low = unit === undefined ? null : valueOf(unit);
  return low !== null && low > 1 && low < 20 ? low : null;
}

/** Digits one by one. */
export function readDigits(
  words: readonly string[],
  at: number,
  isPause: (index: number) => boolean,
): { digits: string; count: number; breaks: number[] } {
  let digits = '';
  const breaks: number[] = [];
  for (let i = at; ; i++) {
    const value = ARTICLES.has(words[i] ?? '') && words[i] !== 'ein' ? undefined : UNITS.get(words[i] ?? '');
    if (value === undefined) return { digits, count: i - at, breaks };
    if (i > at && isPause(i)) breaks.push(digits.length);
    digits += value;
  }
}

/** With a point between thousands, from five digits on. */
export function grouped(value: number): string {
  return value < 10_000 ? String(value) : String(value).replace(/\B(?=(\d{3})+(?!\d))/g, '.');
}
