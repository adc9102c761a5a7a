/**
 * `npm run train phone-costs`: what the local ears take for what. Words that callers of the half that is
 * tuned on said, and words that were heard, are laid along each other as phones, again and again with the
 * costs that came of it; gives the costs (core/src/hearing/phone-costs.ts).
 */
import { comparableWords, PHONES } from '@verbalon/core';
import { pronunciationsOf } from '@verbalon/engines';
import { assistantsOf } from '@verbalon/bench/turns/assistants';
import { Speakers } from '@verbalon/bench/turns/set';
import { heardBy } from '@verbalon/bench/turns/moments';

const TURNS = 240;
const SEED = 301;
const ROUNDS = 4;
/** What is further off was another saying, in edits a phone. */
const MOST_COST_A_PHONE = 0.5;
/** What was supposed before counts like so many phones: these sound alike. */
const PRIOR = 8;
const ALIKE = [
  'IY IH EY EH AE',
  'AA AO AH OW UH UW AW',
  'AY OY',
  'ER R',
  'AH IH ER',
  'P T K',
  'B D G',
  'S Z SH ZH',
  'F TH V DH',
  'M N NG',
  'CH JH SH',
  'L W',
  'Y IY',
  'T D',
  'P B',
  'K G',
  'F V',
  'TH DH',
].map((row) => row.split(' '));
const VOWELS = new Set('AA AE AH AO AW AY EH ER EY IH IY OW OY UH UW'.split(' '));
const ALIKE_COST = 0.5;
const OF_A_KIND_COST = 0.9;
const OTHER_KIND_COST = 1.3;
const GAP_COST = 0.8;
/** A cost is a logarithm of a probability, divided by this. */
const SCALE = 5;
const LEAST = 0.2;
const MOST = 1.4;

/** Others than these cost the same. */
const NEAR = 0.8;

interface Costs {
  other: (said: string, heard: string) => number;
  added: (heard: string) => number;
  lost: (said: string) => number;
}

const supposed: Costs = {
  other: (said, heard) => {
    if (said === heard) return 0;
    if (ALIKE.some((row) => row.includes(said) && row.includes(heard))) return ALIKE_COST;
    return VOWELS.has(said) === VOWELS.has(heard) ? OF_A_KIND_COST : OTHER_KIND_COST;
  },
  added: () => GAP_COST,
  lost: () => GAP_COST,
};

type Pair = [said: string | null, heard: string | null];

/** The cheapest way from what was said to what was heard; null where it was another saying. */
function laid(
  said: readonly string[],
  heard: readonly string[],
  { other, added, lost }: Costs,
): Pair[] | null {
  const rows = Array.from({ length: said.length + 1 }, () => new Float64Array(heard.length + 1));
  for (let j = 1; j <= heard.length; j++) rows[0]![j] = rows[0]![j - 1]! + added(heard[j - 1]!);
  for (let i = 1; i <= said.length; i++)
    for (let j = 0; j <= heard.length; j++) {
      const over = rows[i - 1]![j]! + lost(said[i - 1]!);
      if (j === 0) rows[i]![j] = over;
      else
        rows[i]![j] = Math.min(
          over,
          rows[i]![j - 1]! + added(heard[j - 1]!),
          rows[i - 1]![j - 1]! + other(said[i - 1]!, heard[j - 1]!),
        );
    }
  if (rows[said.length]![heard.length]! > MOST_COST_A_PHONE * said.length) return null;
  const pairs: Pair[] = [];
  for (let i = said.length, j = heard.length; i > 0 || j > 0;) {
    const here = rows[i]![j]!;
    const [was, is] = [said[i - 1]!, heard[j - 1]!];
    if (i > 0 && j > 0 && here === rows[i - 1]![j - 1]! + other(was, is))
      [i, j] = (pairs.push([was, is]), [i - 1, j - 1]);
    else if (i > 0 && here === rows[i - 1]![j]! + lost(was)) i = (pairs.push([was, null]), i - 1);
    else j = (pairs.push([null, is]), j - 1);
  }
  return pairs;
}

const rounded = (probability: number) =>
  Number(Math.min(MOST, Math.max(LEAST, -Math.log(probability) / SCALE)).toFixed(2));

/** Costs by how often what was said was heard as what, beside what was supposed. */
function learned(pairs: readonly Pair[]): Costs {
  const counts = new Map<string, number>();
  const count = (key: string) => counts.get(key) ?? 0;
  for (const [said, heard] of pairs)
    for (const key of [`${said} ${heard}`, `${said} -`]) counts.set(key, count(key) + 1);
  const of = (pair: string, said: string, cost: number) =>
    rounded((count(pair) + PRIOR * Math.exp(-SCALE * cost)) / (count(`${said} -`) + PRIOR));
  return {
    other: (said, heard) => (said === heard ? 0 : of(`${said} ${heard}`, said, supposed.other(said, heard))),
    lost: (said) => of(`${said} null`, said, supposed.lost(said)),
    added: (heard) => of(`null ${heard}`, heard, supposed.added(heard)),
  };
}

export async function trainPhoneCosts(): Promise<object> {
  const speakers = new Speakers();
  const sayings: { said: string[]; heard: string[] }[] = [];
  for (const assistant of assistantsOf('tune'))
    for (const { text, heard } of (await heardBy(assistant, 'tune', TURNS, [SEED], speakers)).flat()) {
      const words = heard.stretches.flatMap(({ final }) => final.map(({ word }) => word));
      const sounding = (all: readonly string[]) =>
        all.flatMap((word) => pronunciationsOf(word)[0]?.split(' ') ?? []);
      sayings.push({ said: sounding(comparableWords(text)), heard: sounding(words) });
    }
  await speakers.close();
  let costs = supposed;
  let pairs: Pair[] = [];
  for (let round = 0; round < ROUNDS; round++) {
    pairs = sayings.flatMap(({ said, heard }) => laid(said, heard, costs) ?? []);
    costs = learned(pairs);
  }
  const table = (of: (phone: string) => number) =>
    Object.fromEntries(PHONES.map((phone) => [phone, of(phone)]));
  const others = PHONES.flatMap((said) => PHONES.map((heard) => [said, heard] as const)).filter(
    ([said, heard]) => said !== heard && costs.other(said, heard) < NEAR,
  );
  return {
    seed: SEED,
    phones: pairs.length,
    lost: table(costs.lost),
    added: table(costs.added),
    near: Object.fromEntries(others.map(([said, heard]) => [`${said} ${heard}`, costs.other(said, heard)])),
  };
}
