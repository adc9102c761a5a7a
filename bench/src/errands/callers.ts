/**
 * Callers who want bunks booked, and do what callers do: correct themselves, ask something else, stay silent,
 * name what there is not.
 */
import {
  hearErrand,
  newErrands,
  tokensOf,
  type DialogueContext,
  type Errands,
  type Run,
  type SlotValue,
} from '@verbalon/core';
import { count, hut, name, night, pick, type Random } from './sentences.js';

/**
 * How the words of a caller reach the assistant: as they were, or as they were heard. @param asked the slot
 * that is asked for, as ERRAND/SLOT
 */
export type Heard = (text: string, asked: string | null) => Promise<string>;

export interface Outcome {
  done: boolean;
  right: boolean;
  /** Done, and not what was read back and agreed to. */
  unwanted: boolean;
  /** Questions for slots beyond those that were missing and those that the caller's own doing called for. */
  extra: number;
}

const MOST_TURNS = 24;
const NOT_DONE: Outcome = { done: false, right: false, unwanted: false, extra: 0 };

interface Goal {
  bunks: ReturnType<typeof count>;
  hut: ReturnType<typeof hut>;
  night: ReturnType<typeof night>;
  name: ReturnType<typeof name>;
}
const SLOTS = ['bunks', 'hut', 'night', 'name'] as const;

class Caller {
  private readonly goal: Goal;
  /** What is said before a change of mind. */
  private readonly first: Goal;
  private changed: boolean;
  private digresses: boolean;
  private hesitates: boolean;
  private readonly errs: boolean;
  private readonly tells: boolean;
  /** Questions that are to be expected. */
  allowed: number;

  constructor(private readonly random: Random) {
    this.goal = { bunks: count(random), hut: hut(random), night: night(random), name: name(random) };
    this.changed = random() >= 0.3;
    this.first = this.changed ? this.goal : { ...this.goal, bunks: count(random), hut: hut(random) };
    this.digresses = random() < 0.2;
    this.hesitates = random() < 0.15;
    this.errs = random() < 0.1;
    this.tells = random() < 0.5;
    this.allowed = this.tells ? (this.errs ? 3 : 2) : 4;
  }

  opening(): string {
    const { bunks, hut: place } = this.first;
    if (!this.tells) return 'Can you book something for us, please?';
    return `I would like to book ${bunks.text} ${bunks.value === 1 ? 'bunk' : 'bunks'} at ${this.errs ? 'Falcon Hut' : place.text}.`;
  }

  isRight({ slots }: Run): boolean {
    return SLOTS.every((slot) => slots[slot]?.value === this.goal[slot].value);
  }

  /** What is said to what the assistant asks. */
  reply(run: Run): string {
    const { random, goal } = this;
    if (run.stage === 'reading back') return this.toReadBack(run);
    if (run.stage !== 'asking') return 'no';
    if (this.digresses) {
      this.digresses = false;
      this.allowed++;
      return 'What time is supper at Lantern Hut?';
    }
    if (this.hesitates) {
      this.hesitates = false;
      this.allowed++;
      return pick(random, ['um', 'well, let me think']);
    }
    if (run.asking === null) return `make it ${goal.bunks.text}`;
    return this.answer(run.asking as keyof Goal, this.changed ? goal : this.first);
  }

  private answer(slot: keyof Goal, { bunks, hut: place, night: date, name: who }: Goal): string {
    const ways = {
      bunks: [bunks.text, `${bunks.text}, please`, `we are ${bunks.text} people`],
      hut: [place.text, `at ${place.text}`, `${place.text}, please`],
      night: [`for ${date.text}`, date.text, `on ${date.text}`],
      name: [who.text, `under ${who.text}`, `my name is ${who.text}`],
    };
    return pick(this.random, ways[slot]);
  }

  /** The caller listens to what is read back, and takes back what is wrong. */
  private toReadBack({ slots }: Run): string {
    this.changed = true;
    const { random, goal } = this;
    const wrong = SLOTS.find((slot) => slots[slot]?.value !== goal[slot].value);
    switch (wrong) {
      case undefined:
        return pick(random, ['yes', 'yes please', 'that is right']);
      case 'bunks':
        return pick(random, ['no, ', 'make it ', 'sorry, I mean ']) + goal.bunks.text;
      case 'hut':
        return pick(random, [`no, at ${goal.hut.text}`, `no, ${goal.hut.text}`]);
      case 'night':
        return `no, for ${goal.night.text}`;
      case 'name':
        return `no, under the name ${goal.name.text}`;
    }
  }
}

/** One caller, from the first sentence to the end. */
export async function oneErrand(random: Random, heard: Heard, context: DialogueContext): Promise<Outcome> {
  const caller = new Caller(random);
  let errands: Errands = newErrands();
  let questions = 0;
  let agreedTo: Record<string, SlotValue | undefined> = {};
  let text = caller.opening();
  for (let turn = 0; turn < MOST_TURNS; turn++) {
    const { current } = errands;
    const asked =
      current?.stage === 'asking' && current.asking !== null ? `${current.errand}/${current.asking}` : null;
    const words = await heard(text, asked);
    const before = errands.current;
    const { errands: next, move } = hearErrand(errands, { text: words, tokens: tokensOf(words) }, context);
    errands = next;
    if (move.do === 'act') {
      const wasReadBack =
        before?.stage === 'reading back' &&
        SLOTS.every((slot) => agreedTo[slot] === move.run.slots[slot]?.value);
      return {
        done: true,
        right: caller.isRight(move.run),
        unwanted: !wasReadBack,
        extra: Math.max(0, questions - caller.allowed),
      };
    }
    const run = errands.current;
    // Not understood at all: it is said once more.
    if (!run && turn < 3 && move.do === 'pass') continue;
    if (!run) return NOT_DONE;
    if (run.stage === 'asking' && run.asking !== null) questions++;
    if (run.stage === 'reading back')
      agreedTo = Object.fromEntries(SLOTS.map((slot) => [slot, run.slots[slot]?.value]));
    text = caller.reply(run);
  }
  return NOT_DONE;
}
