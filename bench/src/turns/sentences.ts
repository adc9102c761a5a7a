/**
 * What the huts' callers say, of whom one half is tuned on and the other is reported, and rows of sentences
 * of any assistant's callers (domains.ts says how templates are written).
 */
import type { Domain, Sayings, TurnKind } from './domains.js';

export type Half = 'tune' | 'report';

const SLOTS: Record<string, readonly string[]> = {
  hut: ['Heron Hut', 'Rowan Hut', 'Lantern Hut', 'Saddle Hut'],
  night: ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday', 'tomorrow'],
  number: ['two', 'three', 'four', 'five', 'six', 'seven'],
  name: ['Miller', 'Baker', 'Fisher', 'Carter', 'Walker'],
  meal: ['supper', 'breakfast'],
  digit: ['one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'],
};

const WHOLE: Record<Half, readonly string[]> = {
  tune: [
    'Is the path over ~ the saddle open today?',
    'How many bunks are ~ free at ~ {hut} on ~ {night}?',
    'Can you book ~ {number} bunks at ~ {hut} for ~ {night}?',
    'What time is ~ {meal} at ~ {hut}?',
    'Please tell the warden at ~ {hut} that ~ we will arrive late.',
    'We are {number} people and ~ we have a dog.',
    'Who is the warden of ~ {hut}?',
    'I would like to stay at ~ {hut} on ~ {night}.',
    'Is there ~ a stove at ~ {hut}?',
    'We left the lake at noon because ~ the weather was bad.',
    'How far is it from ~ {hut} to ~ {hut}?',
    'Do we need to bring ~ a sleeping bag?',
    'Actually make it {number} please.',
    'And at {hut}?',
    'My name is ~ {name}.',
    'Thank you very much.',
    'The water pump handle is ~ loose.',
    'Tell me about ~ the rules.',
    'Could you hand me over to ~ the warden please?',
    'I want to know whether ~ the bridge is closed.',
  ],
  report: [
    'Hello Tansy, is the bridge below ~ {hut} closed?',
    'Are there any beds left at ~ {hut} for ~ {night}?',
    'We need ~ {number} bunks at ~ {hut} under ~ the name {name}.',
    'When do you serve ~ {meal} at ~ {hut}?',
    'Tell the party at ~ {hut} that ~ we will come tomorrow.',
    'Can we bring ~ my dog to ~ {hut}?',
    'How long is the walk from ~ the station to ~ {hut}?',
    'What is the weather like at ~ {hut} on ~ {night}?',
    'The north window does not close and ~ the door is broken.',
    'I have lost my map so ~ I need the way to ~ {hut}.',
    'How much does ~ a night cost at ~ {hut}?',
    'May I ask if ~ there is water at ~ {hut}?',
    'No, I mean {hut}.',
    'What about {night}?',
    'We are {number}.',
    'That is all, thank you.',
    'Please make it {number} instead of ~ {number}.',
    'Is the road to ~ {hut} open now?',
    'My friend has hurt ~ her foot and ~ we are very slow.',
    'Yes please, for {night}.',
  ],
};

const SPECIAL: Record<keyof Sayings['special'], Record<Half, readonly string[]>> = {
  filler: {
    tune: [
      'I would like, um, ~ to book a bunk at {hut}.',
      'How many, uh, ~ bunks are free on {night}?',
      'We want to, um, ~ stay at {hut}.',
    ],
    report: [
      'Can you tell me, um, ~ what time is {meal}?',
      'We would like, uh, ~ {number} beds at {hut}.',
      'Is the path to, um, ~ {hut} open?',
    ],
  },
  pieces: {
    tune: [
      'My number is {digit} {digit} {digit} ~ {digit} {digit} {digit} ~ {digit} {digit} {digit}.',
      'It is for the twenty ~ fifth of May.',
      'Under the name ~ {name}.',
    ],
    report: [
      'You can call me on {digit} {digit} ~ {digit} {digit} {digit} ~ {digit} {digit}.',
      'We come on the ~ twenty first of June.',
      'The name is ~ {name}, and ~ we are {number}.',
    ],
  },
  correction: {
    tune: ['Book {number}, no, ~ {number} bunks at {hut}.', 'On {night}, I mean ~ on {night} at {hut}.'],
    report: [
      'We want {number}, sorry, ~ {number} beds at {hut}.',
      'Tell the warden, no wait, ~ tell the party at {hut}.',
    ],
  },
  afterthought: {
    tune: ['Is the path open ^ to {hut}?', 'How many bunks are free ^ on {night}?'],
    report: ['What time is {meal} ^ at {hut}?', 'Is there a shower ^ at {hut}?'],
  },
};

/** The huts' callers. */
export function hutsOf(half: Half): Pick<Domain, 'slots' | 'sayings'> {
  const special = Object.fromEntries(
    Object.entries(SPECIAL).map(([kind, of]) => [kind, of[half]]),
  ) as Sayings['special'];
  return { slots: SLOTS, sayings: { whole: WHOLE[half], special } };
}

/** Shares of the kinds, published with the measures: every second turn has a pause in it. */
const KINDS: readonly [TurnKind, number][] = [
  ['whole', 0.5],
  ['broken', 0.32],
  ['filler', 0.06],
  ['pieces', 0.06],
  ['correction', 0.04],
  ['afterthought', 0.02],
];
/** Pauses within turns: a lognormal of this median and spread, within these bounds, in ms. */
const PAUSE_MEDIAN_MS = 480;
const PAUSE_SPREAD = 0.5;
export const LEAST_PAUSE_MS = 200;
export const MOST_PAUSE_MS = 1_500;

export interface Sentence {
  kind: TurnKind;
  /** As it is synthesised, in one go. */
  text: string;
  /** Pauses put into it after so many words. */
  pauses: { afterWord: number; ms: number }[];
}

/** A row of so many sentences; the same for the same `random`. */
export function sentences(
  { slots, sayings }: Pick<Domain, 'slots' | 'sayings'>,
  count: number,
  random: () => number,
): Sentence[] {
  return Array.from({ length: count }, (_, i) => {
    // Kinds are dealt out evenly, not drawn: their shares hold for every length of the row.
    const kind = kindAt(((i + 0.5) * 0.618033988749895) % 1);
    const templates =
      kind === 'whole' || kind === 'broken' || kind === 'told' ? sayings.whole : sayings.special[kind];
    const usable = templates.filter((one) => kind !== 'broken' || one.includes('~'));
    return sentenceOf(kind, pick(usable, random), slots, random);
  });
}

/** Turns of callers who tell: two or three sentences, with a pause after each and some within. */
export function tales(
  domain: Pick<Domain, 'slots' | 'sayings'>,
  count: number,
  random: () => number,
): Sentence[] {
  return Array.from({ length: count }, () => {
    const told = sentences(domain, 2 + Math.floor(2 * random()), random);
    const words: string[] = [];
    const pauses: Sentence['pauses'] = [];
    for (const [i, { text, pauses: within }] of told.entries()) {
      pauses.push(...within.map(({ afterWord, ms }) => ({ afterWord: words.length + afterWord, ms })));
      words.push(...text.split(' '));
      if (i < told.length - 1) pauses.push({ afterWord: words.length, ms: pauseMs(random) });
    }
    return { kind: 'told', text: words.join(' '), pauses };
  });
}

function kindAt(share: number): TurnKind {
  let sum = 0;
  for (const [kind, part] of KINDS) if (share < (sum += part)) return kind;
  return 'whole';
}

function sentenceOf(
  kind: TurnKind,
  template: string,
  slots: Domain['slots'],
  random: () => number,
): Sentence {
  const filled = template.replace(/\{(\w+)\}/g, (_, name: string) => pick(slots[name]!, random));
  const words: string[] = [];
  const places: number[] = [];
  for (const token of filled.split(' ')) {
    if (token === '~' || token === '^') places.push(words.length);
    else words.push(token);
  }
  const wanted = kind === 'whole' ? [] : kind === 'broken' ? someOf(places, random) : places;
  return {
    kind,
    text: words.join(' '),
    pauses: wanted.map((afterWord) => ({ afterWord, ms: pauseMs(random) })),
  };
}

/** One of the places, or sometimes two. */
function someOf(places: readonly number[], random: () => number): number[] {
  const first = pick(places, random);
  const second = random() < 0.25 ? pick(places, random) : first;
  return [...new Set([first, second])].sort((a, b) => a - b);
}

function pauseMs(random: () => number): number {
  const normal = Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
  const ms = PAUSE_MEDIAN_MS * Math.exp(PAUSE_SPREAD * normal);
  return Math.round(Math.min(MOST_PAUSE_MS, Math.max(LEAST_PAUSE_MS, ms)));
}

export function pick<T>(items: readonly T[], random: () => number): T {
  return items[Math.floor(random() * items.length)]!;
}
