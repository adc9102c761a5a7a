/**
 * A turn of the caller's, from the first sound to its report; or the occasion on which the assistant says
 * something by itself.
 */
import { dictionaryWords } from '../../hearing/expected-phrases.js';
import type { Ending } from '../../hearing/melody.js';
import { newSettling, shownWords, type Settling } from '../../hearing/settling.js';
import type { WrittenWord } from '../../language/common/contract.js';
import { languageOf } from '../../language/language.js';
import type { TurnTimes } from '../../measure/turn-times.js';
import type { HeardWord } from '../../vocabulary/words.js';
import type { Cause } from '../contract/causes.js';
import type { Plan } from '../contract/plan.js';
import type { Relief, TurnSource, Wait } from '../contract/report.js';

/** A stretch of the caller's voice that went, or goes, through recognition as one; or typed words. */
export interface Segment {
  recognition: number;
  fromMs: number;
  /** Null while its sound still comes. */
  toMs: number | null;
  /** Engines that heard it, the last one now. */
  tried: string[];
  settling: Settling;
  shown: HeardWord[];
  /** The words of the final; null until it has come. */
  final: HeardWord[] | null;
  /** So often has its final not come when it was due. */
  overdue: number;
  /** Words that were typed, as they were typed. */
  typed: string | null;
}

/** Silence in the caller's turn, and how the voice sounded before it. */
export interface Pause {
  atMs: number;
  ending: Ending | null;
}

/**
 * `held`: a key holds the floor for it, whatever the voice does. `paused`: the caller is silent; the turn
 * ends when `wait` is over (null: what the voice is has to be known first). `ended`: its last words may still
 * be recognised; with `pause` it may be found that more is to come.
 */
export type TurnStage =
  | { at: 'speaking' }
  | { at: 'paused'; pause: Pause; wait: Wait | null }
  | { at: 'held'; pause: Pause | null }
  | { at: 'ended'; cause: Cause; pause: Pause | null };

export interface Turn {
  turn: number;
  source: TurnSource;
  /** Whoever speaks, where it is not the caller. */
  by: string | null;
  stage: TurnStage;
  segments: Segment[];
  /** The wait that ended it; null before. */
  wait: Wait | null;
  /** How much voice there was in it, in ms: in stretches that are over, and in the one that goes on. */
  voicedMs: number;
  stretchMs: number;
  /** It began over the assistant's voice, or just after it. */
  overlapped: boolean;
  /** So often has thinking begun before it was over. */
  headStarts: number;
  /** The answer is one that was begun before. */
  headStartKept: boolean;
  /** No engine heard a part of it. */
  deaf: boolean;
  corrections: number;
  /** Measured, for the report; nothing is decided by them. */
  times: TurnTimes;
  reliefs: Relief[];
}

export function newTurn(turn: number, source: TurnSource): Turn {
  return {
    turn,
    source,
    by: null,
    stage: { at: 'speaking' },
    segments: [],
    wait: null,
    voicedMs: 0,
    stretchMs: 0,
    overlapped: false,
    headStarts: 0,
    headStartKept: false,
    deaf: false,
    corrections: 0,
    times: {},
    reliefs: [],
  };
}

export function newSegment(recognition: number, fromMs: number, engine: string | null): Segment {
  return {
    recognition,
    fromMs,
    toMs: null,
    tried: engine === null ? [] : [engine],
    settling: newSettling(),
    shown: [],
    final: null,
    overdue: 0,
    typed: null,
  };
}

/** Begun by the assistant: nothing of the caller's is in it. */
export function isOwn({ source }: Turn): boolean {
  return source === 'greeting' || source === 'silence' || source === 'resumed' || source === 'errand';
}

/** Whoever spoke, where it was not the caller: as it is told. */
export const byOf = ({ by }: Turn): { by?: string } => (by === null ? {} : { by });

/** The segment whose sound still comes. */
export function openSegment(turn: Turn | null): Segment | undefined {
  return turn?.segments.find(({ toMs }) => toMs === null);
}

export function hasAllFinals({ segments }: Turn): boolean {
  return segments.every(({ final }) => final !== null);
}

/** The silence that it stands in just now, or null. */
export function pauseIn({ stage }: Turn): Pause | null {
  return stage.at === 'speaking' ? null : stage.pause;
}

/**
 * The words of a segment as they were recognised: the final ones, or as long as there are none the
 * provisional ones.
 */
export function spokenText(segment: Segment): string {
  return (
    segment.typed ??
    segment.final?.map(({ word }) => word).join(' ') ??
    shownWords(segment.settling).join(' ')
  );
}

/** Words as the assistant wants them written: as the engine wrote them, where it did. */
export function writtenWords(
  plan: Plan,
  words: readonly HeardWord[],
  begins: boolean,
  ends: boolean,
): WrittenWord[] {
  const plain = ({ word, fromMs, toMs, confidence, heardAs }: HeardWord, shown = word): WrittenWord => ({
    word: shown,
    fromMs,
    toMs,
    spoken: word,
    ...(confidence === undefined ? {} : { confidence }),
    ...(heardAs === undefined ? {} : { heardAs }),
  });
  if (!plan.written) return words.map((word) => plain(word));
  if (words.every(({ written }) => written !== undefined))
    return words.map((word) => plain(word, word.written));
  return languageOf(plan.language).written(words, { names: plan.names, begins, ends });
}

/** All words of a turn, written as one: the whole turn tells what a question is and where a sentence ends. */
export function turnText(plan: Plan, { segments }: Turn): string {
  const parts: (HeardWord[] | string)[] = [];
  for (const segment of segments) {
    const words = segment.final ?? segment.shown;
    const last = parts.at(-1);
    if (segment.typed !== null) parts.push(segment.typed);
    else if (Array.isArray(last)) last.push(...words);
    else parts.push([...words]);
  }
  return parts
    .map((part) =>
      typeof part === 'string'
        ? part
        : writtenWords(plan, part, true, true)
            .map(({ word }) => word)
            .join(' '),
    )
    .filter(Boolean)
    .join(' ');
}

/** All words of a turn as they were recognised, in lower case, without marks. */
export function turnWords({ segments }: Turn): string[] {
  const texts = segments.map(
    ({ typed, final, shown }) => typed ?? (final ?? shown).map(({ word }) => word).join(' '),
  );
  return dictionaryWords(texts.join(' '));
}

/** The words of a turn with their times, without what was typed. */
export function timedWords({ segments }: Turn): HeardWord[] {
  return segments.flatMap(({ typed, final, shown }) => (typed === null ? (final ?? shown) : []));
}

/**
 * 0 to 1 over all words of the turn, 1 for those of which the engine does not say; null while some are
 * provisional.
 */
export function confidenceOf(turn: Turn): number | null {
  if (!hasAllFinals(turn)) return null;
  const known = turn.segments.flatMap(({ final }) => (final ?? []).map(({ confidence }) => confidence ?? 1));
  return known.length === 0 ? 1 : known.reduce((sum, one) => sum + one, 0) / known.length;
}

/**
 * Two halves of what turned out to be one turn; `later` may not have begun yet, `held`: a key holds the
 * floor.
 */
export function mergedTurn(earlier: Turn, later: Turn | null, held: boolean): Turn {
  const { voiceBeganMs, voiceEndedMs } = earlier.times;
  const goesOn = later ?? {
    ...newTurn(earlier.turn, earlier.source),
    stage: stageTakenBack(earlier, held),
    times: voiceEndedMs === undefined ? {} : { voiceEndedMs },
  };
  return {
    ...earlier,
    source: goesOn.source,
    stage: goesOn.stage,
    wait: goesOn.wait ?? earlier.wait,
    segments: [...earlier.segments, ...goesOn.segments],
    voicedMs: earlier.voicedMs + goesOn.voicedMs,
    stretchMs: goesOn.stretchMs,
    headStarts: earlier.headStarts + goesOn.headStarts,
    headStartKept: false,
    corrections: earlier.corrections + goesOn.corrections,
    deaf: earlier.deaf || goesOn.deaf,
    reliefs: [...earlier.reliefs, ...goesOn.reliefs],
    times: { ...goesOn.times, ...(voiceBeganMs === undefined ? {} : { voiceBeganMs }) },
  };
}

/** A key that was let go holds the floor for nobody: a pause is only a pause again. */
function stageTakenBack(turn: Turn, held: boolean): TurnStage {
  const pause = pauseIn(turn);
  if (held) return { at: 'held', pause };
  return pause ? { at: 'paused', pause, wait: null } : { at: 'speaking' };
}
