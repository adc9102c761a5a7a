/** The conductor's state: plain data that can be written as JSON at any moment and taken up again. */
import { momentIn, type Moment } from '../../calendar/calendar.js';
import { newErrands, type Errands } from '../../errands/contract.js';
import type { Entry } from '../../thinking/history.js';
import type { AnswerLength } from '../../vocabulary/answer-length.js';
import type { Cause } from '../contract/causes.js';
import type { Clock } from '../contract/happenings.js';
import type { Phase, TimerName } from '../contract/orders.js';
import type { Plan } from '../contract/plan.js';
import type { Answer, AnswerStage, Speech } from './answer.js';
import { newFloor, type FloorState } from './floor.js';
import { newLineup, type LineupState } from './lineup.js';
import type { Turn } from './turn.js';

export interface State {
  plan: Plan | null;
  phase: Phase;
  lastId: number;
  ended: boolean;
  /** Why the talk is to end, whatever the caller does; null while it may go on. */
  mustEnd: Cause | null;
  history: Entry[];
  floor: FloorState;
  lineup: LineupState;
  /** The caller's turn that is being heard. */
  turn: Turn | null;
  /** At most one is speculative, one live or stopping, and one suspended. */
  answers: Answer[];
  /** What is known of how this caller speaks, and wants to be answered. */
  caller: {
    /** Pauses that the caller has made within turns, in ms, the last ones. */
    ownPausesMs: number[];
    /** Words a second; null before it is known. */
    pace: number | null;
    /** How long answers are to be by now, if the caller said so. */
    answerLength: AnswerLength | null;
  };
  /**
   * How long answers take from the beginning of a thought to its first sound, in ms, of late; null before it
   * is known.
   */
  answerAfterMs: number | null;
  /** The last answer had to be bridged. */
  filled: boolean;
  /** The time of day when the caller joined, and when that was. */
  clock: Clock & { atMs: number };
  errands: Errands;
  /** What came of errands and could not be said yet. */
  news: string[];
  /** How an errand was last told to the line, as JSON. */
  errandTold: string;
  /** Words that were asked back and wait for a yes or a no. */
  askedBack: string | null;
  /** So many turns in a row were not understood. */
  unheardInARow: number;
  timers: Partial<Record<TimerName, number>>;
}

export function newState(): State {
  return {
    plan: null,
    phase: 'resting',
    lastId: 0,
    ended: false,
    mustEnd: null,
    history: [],
    floor: newFloor(),
    lineup: newLineup(),
    turn: null,
    answers: [],
    caller: { ownPausesMs: [], pace: null, answerLength: null },
    answerAfterMs: null,
    filled: false,
    clock: { unixMs: 0, zone: 'UTC', atMs: 0 },
    errands: newErrands(),
    news: [],
    errandTold: '',
    askedBack: null,
    unheardInARow: 0,
    timers: {},
  };
}

/** What the clocks show where the caller is. */
export function momentOf({ clock }: State, nowMs: number): Moment {
  return momentIn(clock.unixMs + nowMs - clock.atMs, clock.zone);
}

/** The answer that stands in such a stage. */
function answerAt({ answers }: State, at: AnswerStage['at']): Answer | null {
  return answers.find(({ stage }) => stage.at === at) ?? null;
}

export const liveAnswer = (state: State) => answerAt(state, 'live');
export const stoppingAnswer = (state: State) => answerAt(state, 'stopping');
export const suspendedAnswer = (state: State) => answerAt(state, 'suspended');
export const speculativeAnswer = (state: State) => answerAt(state, 'speculative');

/** The one that has the assistant's voice: live, or not yet silent. */
export const currentAnswer = (state: State) => liveAnswer(state) ?? stoppingAnswer(state);

/**
 * The caller has the floor, or may take it. The last sentence of a talk is said to its end, whoever speaks.
 */
export function isListenedTo(state: State): boolean {
  const { is, press, opened } = state.floor;
  const open = is === 'once' ? opened : is === 'open' && !isAsleep(state);
  return (open || press !== null) && !currentAnswer(state)?.closing;
}

/** It rests, and whatever is said wakes it only by one of its phrases, if at all. */
export function isAsleep({ phase, plan }: State): boolean {
  return phase === 'resting' && plan !== null && plan.manners.wake !== 'voice';
}

/** The answer that a thought belongs to, as long as it is written. */
export function answerOfThought({ answers }: State, thought: number): Answer | null {
  return (
    answers.find(
      ({ writing }) => !writing.done && (writing.thought === thought || writing.hedge?.thought === thought),
    ) ?? null
  );
}

/** The answer and the phrase that a speech is; null where it was dropped. */
export function speechOf({ answers }: State, id: number): { answer: Answer; speech: Speech } | null {
  for (const answer of answers) {
    const speech = answer.speeches.find((one) => one.speech === id && one.stage !== 'dropped');
    if (speech) return { answer, speech };
  }
  return null;
}
