/**
 * Which expected phrase sounds like what was heard? The phones of what was heard are laid along every way
 * through the templates, at the least cost (weighted edit distance, by dynamic programming).
 */
import { optionsOf, Templates, type Part } from '../language/template.js';
import type { HeardWord } from '../vocabulary/words.js';
import { dictionaryWords, type Expected } from './expected-phrases.js';
import { wordsOf } from './expectation.js';
import { addedCost, lostCost, otherCost, phonesOf } from './phone-costs.js';

/** Pronunciations of words in ARPAbet without stress, each with spaces between its phones. */
export type Sounds = Readonly<Record<string, readonly string[]>>;

/** A word that was heard; one whose sound nobody knows fits nothing. */
export type SoundingWord = Pick<HeardWord, 'word' | 'phones' | 'confidence'>;

/** The words `from` up to `to` of what was heard sound like these words of a phrase. */
export interface SoundFit {
  from: number;
  to: number;
  words: FittedWord[];
  /** Sum of the edits. */
  cost: number;
  /** Phones of the phrase. */
  phones: number;
}

export interface FittedWord {
  word: string;
  /** It belongs to a value of a slot. */
  inSlot: boolean;
  cost: number;
  phones: number;
}

/**
 * What is further off is none of the phrases: cost for each phone of the phrase, and some for the first ones.
 */
const MOST_COST_A_PHONE = 0.2;
const FREE_COST = 0.9;
/** What a phone that fits is worth against the costs: longer phrases are better ones. */
const WORTH_OF_A_PHONE = 0.35;
/** So many words are gone through at most; templates that say more are not known by their sound. */
const MOST_STEPS = 20_000;
/** Edits of words that recognition is sure of cost so much more. */
const LEAST_TRUST = 0.6;
const TRUST_OF_SURE = 0.8;
const UNKNOWN_CONFIDENCE = 0.5;
const UNKNOWN_SOUND = '?';

/** A way through a phrase up to one place in what was heard. */
interface Way {
  cost: number;
  phones: number;
  start: number;
  last: Step | null;
}

interface Step extends FittedWord {
  before: Step | null;
}

/** The best way to each place. */
type Ways = ReadonlyMap<number, Way>;

/** A word laid along what was heard from one place on. */
interface Laid {
  to: number;
  cost: number;
  phones: number;
}

export class PhraseSounds {
  private readonly templates: { parts: Part[]; words: ReadonlySet<string> }[];
  private readonly sounds = new Map<string, number[][]>();

  /** @throws Fault `phrase-malformed` */
  constructor({ phrases, slots }: Expected, sounds: Sounds) {
    const templates = new Templates(slots ?? {}, dictionaryWords);
    this.templates = phrases.map((phrase) => {
      const parts = templates.read(phrase);
      return { parts, words: wordsOf([parts]) };
    });
    for (const [word, ways] of Object.entries(sounds)) this.sounds.set(word, ways.map(phonesOf));
  }

  /**
   * The phrase that covers most of what was heard at the least cost.
   * @param leastSame phones of words that were heard just as a phrase has them: others are not looked at
   */
  fit(heard: readonly SoundingWord[], leastSame = 0): SoundFit | null {
    const phones = heard.map(({ phones: all }) => (all === undefined ? 0 : phonesOf(all).length));
    const likely = this.templates.filter(
      ({ words }) =>
        heard.reduce((sum, { word }, i) => (words.has(word) ? sum + phones[i]! : sum), 0) >= leastSame,
    );
    return new Fitting(
      likely.map(({ parts }) => parts),
      this.sounds,
      heard,
    ).best();
  }
}

class Fitting {
  private readonly heard: number[] = [];
  /** How much an edit at each phone costs. */
  private readonly trust: number[] = [];
  /** The words that begin at these phones; the end stands last. */
  private readonly wordAt = new Map<number, number>();
  private readonly laid = new Map<string, Laid[][]>();
  private steps = 0;
  private found: SoundFit | null = null;

  constructor(
    private readonly templates: readonly Part[][],
    private readonly sounds: ReadonlyMap<string, number[][]>,
    words: readonly SoundingWord[],
  ) {
    words.forEach(({ phones, confidence }, i) => {
      this.wordAt.set(this.heard.length, i);
      const all = phonesOf(phones ?? UNKNOWN_SOUND);
      this.heard.push(...all);
      this.trust.push(...all.map(() => LEAST_TRUST + TRUST_OF_SURE * (confidence ?? UNKNOWN_CONFIDENCE)));
    });
    this.wordAt.set(this.heard.length, words.length);
    this.trust.push(1);
  }

  best(): SoundFit | null {
    const starts = [...this.wordAt.keys()].slice(0, -1);
    const begin = new Map(starts.map((start) => [start, { cost: 0, phones: 0, start, last: null }]));
    for (const parts of this.templates)
      for (const [to, way] of this.over(parts, begin, false)) if (this.wordAt.has(to)) this.take(to, way);
    return this.found;
  }

  private take(to: number, way: Way): void {
    if (way.last === null || way.cost > MOST_COST_A_PHONE * way.phones) return;
    if (this.found && worth(this.found) >= worth(way)) return;
    const { cost, phones, start } = way;
    const words: FittedWord[] = [];
    for (let step: Step | null = way.last; step; step = step.before) words.unshift(step);
    this.found = { from: this.wordAt.get(start)!, to: this.wordAt.get(to)!, words, cost, phones };
  }

  private over(parts: readonly Part[], from: Ways, inSlot: boolean): Ways {
    let ways = from;
    for (const part of parts) {
      if (ways.size === 0) break;
      ways = this.step(part, ways, inSlot);
    }
    return ways;
  }

  private step(part: Part, from: Ways, inSlot: boolean): Ways {
    const found = new Map<number, Way>();
    if (part.kind === 'word') this.word(part.word, from, inSlot, found);
    else if (part.kind === 'choice' || part.kind === 'slot') {
      for (const option of optionsOf(part))
        for (const [at, way] of this.over(option, from, inSlot || part.kind === 'slot'))
          keepBetter(found, at, way);
    }
    return found;
  }

  private word(word: string, from: Ways, inSlot: boolean, found: Map<number, Way>): void {
    if (++this.steps > MOST_STEPS) return;
    for (const [at, before] of from)
      for (const { to, cost, phones } of this.lay(word, at)) {
        const last = { word, inSlot, cost, phones, before: before.last };
        const way = { cost: before.cost + cost, phones: before.phones + phones, start: before.start, last };
        if (way.cost <= MOST_COST_A_PHONE * way.phones + FREE_COST) keepBetter(found, to, way);
      }
    const end = found.get(this.heard.length);
    if (end) this.take(this.heard.length, end);
  }

  /** Worked out once for each place. */
  private lay(word: string, at: number): Laid[] {
    const places = this.laid.get(word) ?? [];
    this.laid.set(word, places);
    return (places[at] ??= (this.sounds.get(word) ?? []).flatMap((phones) => this.along(phones, at)));
  }

  /** The ends at which these phones may have been said, when they begin here. */
  private along(phones: readonly number[], at: number): Laid[] {
    const { heard, trust } = this;
    const width = Math.min(2 * phones.length + 2, heard.length - at) + 1;
    const most = MOST_COST_A_PHONE * phones.length + FREE_COST;
    const row = new Float64Array(width);
    for (let j = 1; j < width; j++) row[j] = row[j - 1]! + trust[at + j - 1]! * addedCost(heard[at + j - 1]!);
    for (const phone of phones) {
      const lost = lostCost(phone);
      let over = row[0]!;
      let least = (row[0] = over + trust[at]! * lost);
      for (let j = 1; j < width; j++) {
        const [trusted, is] = [trust[at + j - 1]!, heard[at + j - 1]!];
        const edit = Math.min(
          row[j]! + trusted * lost,
          row[j - 1]! + trusted * addedCost(is),
          over + trusted * otherCost(phone, is),
        );
        over = row[j]!;
        row[j] = edit;
        least = Math.min(least, edit);
      }
      if (least > most) return [];
    }
    const ends: Laid[] = [];
    for (let j = 1; j < width; j++)
      if (row[j]! <= most) ends.push({ to: at + j, cost: row[j]!, phones: phones.length });
    return ends;
  }
}

function worth({ phones, cost }: Pick<Way, 'phones' | 'cost'>): number {
  return WORTH_OF_A_PHONE * phones - cost;
}

function keepBetter(ways: Map<number, Way>, at: number, way: Way): void {
  const known = ways.get(at);
  if (!known || worth(known) < worth(way)) ways.set(at, way);
}
