/** The report of a turn, with its answer or without one. */
import { gapOf } from '../../measure/turn-times.js';
import type { Cause } from '../contract/causes.js';
import type { Plan } from '../contract/plan.js';
import type { TurnReport, Wait } from '../contract/report.js';
import type { Answer } from './answer.js';
import { putBySound } from '../../hearing/by-sound.js';
import { byOf, spokenText, turnText, type Turn } from './turn.js';

/** @param interrupted why it was not answered to the end, or not at all; null where it was */
export function reportOf(
  plan: Plan,
  turn: Turn,
  answer: Answer | null,
  heard: string,
  interrupted: Cause | null,
): TurnReport {
  const put = putBySound(turn.segments.flatMap(({ final }) => final ?? []));
  return {
    turn: turn.turn,
    source: turn.source,
    text: turnText(plan, turn),
    ...byOf(turn),
    spoken: turn.segments.map(spokenText).filter(Boolean).join(' '),
    generated: answer?.writing.text ?? '',
    heard,
    answered: heard !== '' && answer?.trouble === null,
    interrupted,
    trouble: answer?.trouble ?? null,
    estimated: answer?.speeches.some(({ estimated }) => estimated) ?? false,
    wait: turn.wait && waitTold(turn.wait),
    headStarts: { begun: turn.headStarts, kept: turn.headStartKept },
    times: turn.times,
    gap: gapOf(turn.times),
    flicker: turn.segments.reduce((sum, { settling }) => sum + settling.flicker, 0),
    corrections: turn.corrections,
    ...(put.length > 0 ? { bySound: put } : {}),
    reliefs: turn.reliefs,
    ...(answer && answer.errand.about.length > 0 ? { errands: answer.errand.about } : {}),
  };
}

/** Without what it was weighed by: that is of use only while it is decided. */
function waitTold(wait: Wait): Wait {
  const told = { ...wait };
  delete told.features;
  return told;
}
