/** What the words of a turn mean to the errands of a plan: read once, and kept for whoever asks again. */
import { hearErrand } from '../../errands/dialogue.js';
import type { DialogueContext, Said, Step } from '../../errands/moves.js';
import { languageOf } from '../../language/language.js';
import type { Token } from '../../language/common/meaning.js';
import { tokensOf, tokensOfWritten } from '../../language/tokens.js';
import type { Plan } from '../contract/plan.js';
import { errandsIn } from './errands.js';
import { momentOf, type State } from './state.js';
import { writtenWords, type Turn } from './turn.js';

/** A talk as it stands at a moment. */
interface Moment {
  plan: Plan;
  state: State;
  nowMs: number;
}

/** What errands are talked about with; null where there are none. */
export function contextOf({ plan, state, nowMs }: Moment): DialogueContext | null {
  const book = errandsIn(plan);
  const { errands: words } = languageOf(plan.language);
  return book && words && { book, words, now: momentOf(state, nowMs), person: plan.person === true };
}

/** The words of a turn with their times, as they are written. */
function saidIn(plan: Plan, turn: Turn, text: string): Said {
  const tokens: Token[] = turn.segments.flatMap((segment) =>
    segment.typed === null
      ? tokensOfWritten(writtenWords(plan, segment.final ?? segment.shown, false, false))
      : tokensOf(segment.typed),
  );
  return { text, tokens };
}

/** What was read last for a plan, and of what. */
const lastHeard = new WeakMap<Plan, { of: readonly unknown[]; step: Step }>();

/**
 * What the turn means to the errands, or would mean if it were over; null where there are none. Several
 * machines ask within one happening: the words are read once.
 */
export function heard(at: Moment, turn: Turn, text: string): Step | null {
  const context = contextOf(at);
  if (!context) return null;
  const { plan, state } = at;
  const { day, minute } = context.now;
  const words = turn.segments.flatMap(({ final, shown, typed }) => [final, shown, typed]);
  const of = [text, state.errands, day, minute, ...words];
  const last = lastHeard.get(plan);
  if (last && last.of.length === of.length && last.of.every((one, i) => one === of[i])) return last.step;
  const step = hearErrand(state.errands, saidIn(plan, turn, text), context);
  lastHeard.set(plan, { of, step });
  return step;
}
