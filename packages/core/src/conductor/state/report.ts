/** The report of a turn, with its answer or without one. */
import { gapOf } from '../../measure/turn-times.js';
import type { Cause } from '../contract/causes.js';
import type { Plan } from '../contract/plan.js';
import type { TurnReport } from '../contract/report.js';
import type { Answer } from './answer.js';
import { spokenText, turnText, type Turn } from './turn.js';

/** @param interrupted why it was not answered to the end, or not at all; null where it was */
export function reportOf(
  plan: Plan,
  turn: Turn,
  answer: Answer | null,
  heard: string,
  interrupted: Cause | null,
): TurnReport {
  return {
    turn: turn.turn,
    source: turn.source,
    text: turnText(plan, turn),
    spoken: turn.segments.map(spokenText).filter(Boolean).join(' '),
    generated: answer?.writing.text ?? '',
    heard,
    answered: heard !== '' && answer?.trouble === null,
    interrupted,
    trouble: answer?.trouble ?? null,
    estimated: answer?.speeches.some(({ estimated }) => estimated) ?? false,
    wait: turn.wait,
    headStarts: { begun: turn.headStarts, kept: turn.headStartKept },
    times: turn.times,
    gap: gapOf(turn.times),
    flicker: turn.segments.reduce((sum, { settling }) => sum + settling.flicker, 0),
    corrections: turn.corrections,
    reliefs: turn.reliefs,
    ...(answer && answer.errand.about.length > 0 ? { errands: answer.errand.about } : {}),
  };
}
