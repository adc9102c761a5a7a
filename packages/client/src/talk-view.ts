/**
 * What a talk looks like, computed from the messages of its line: the same for the console and the terminal.
 */
import type { Floor, Manners } from '@verbalon/core';
import type { LineupEntry, ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { languageName } from './language-name.js';

export type Report = ServiceMessageOf<'turn'>['report'];
export type Phase = ServiceMessageOf<'state'>['state'];

export interface SpokenWord {
  word: string;
  fromMs: number;
  toMs: number;
  /** Pencil while provisional, ink when settled, struck when it was never heard. */
  look: 'pencil' | 'ink' | 'struck';
}

export interface Speech {
  speech: number;
  turn: number;
  text: string;
  words: { word: string; endMs: number }[];
  /** Where it began on the caller's axis, once it sounds. */
  fromMs: number | null;
  playedMs: number;
  over: boolean;
}

export interface CallerSegment {
  turn: number;
  /** Whoever spoke, where it was not the caller. */
  by: string | null;
  fromMs: number;
  toMs: number | null;
  settled: string;
  open: string;
  words: { word: string; fromMs: number; toMs: number }[] | null;
}

export interface Trouble {
  /** Of the catalogue of problems; none for what only this page knows. */
  code?: string;
  title: string;
  detail: string;
  remedy: string;
}

export interface TalkView {
  connection: 'none' | 'opening' | 'open' | 'away' | 'lost' | 'ended';
  phase: Phase;
  recorded: boolean;
  conversation: string;
  lineup: LineupEntry[];
  /** Who serves now, by role. */
  serving: Record<LineupEntry['role'], string>;
  /** What the talk has cost so far. */
  spent: ServiceMessageOf<'spent'>['sums'];
  /** The languages it hears and speaks, BCP 47. */
  hears: string;
  speaks: string;
  floor: Floor;
  /** What wakes the assistant when it rests. */
  wake: Manners['wake'];
  /** The caller holds the key. */
  pressed: boolean;
  /** To be shown beside "listening". */
  hint: string;
  segments: CallerSegment[];
  typed: { text: string; atMs: number }[];
  speeches: Speech[];
  reports: Report[];
  /** The errand that was told of last. */
  errand: ServiceMessageOf<'errand'> | null;
  /** What words became values, and when errands were being done. */
  marks: ErrandMarks;
  /** What an errand wants on the caller's screen. */
  screen: ServiceMessageOf<'screen'> | null;
  hushes: number[];
  trouble: Trouble | null;
  /** Whoever talks with the caller in the assistant's place. */
  person: string | null;
  notice: string;
}

export const emptyView: TalkView = {
  connection: 'none',
  phase: 'resting',
  recorded: false,
  conversation: '',
  lineup: [],
  serving: { stt: '', llm: '', tts: '' },
  spent: [],
  hears: 'en',
  speaks: 'en',
  floor: 'open',
  wake: 'voice',
  pressed: false,
  hint: '',
  segments: [],
  person: null,
  typed: [],
  speeches: [],
  reports: [],
  errand: null,
  marks: { values: [], calls: [] },
  screen: null,
  hushes: [],
  trouble: null,
  notice: '',
};

/**
 * Words that became the value of a slot; spans in which something was being done, null while it still is. In
 * ms.
 */
export interface ErrandMarks {
  values: { slot: string; fromMs: number; toMs: number }[];
  calls: { errand: string; fromMs: number; toMs: number | null }[];
}

function withErrand(
  marks: ErrandMarks,
  { provisional, slots, stage, errand, atMs }: ServiceMessageOf<'errand'>,
): ErrandMarks {
  if (provisional) return marks;
  const timed = slots.flatMap(({ name, fromMs, toMs }) =>
    fromMs === undefined || toMs === undefined ? [] : [{ slot: name, fromMs, toMs }],
  );
  const fresh = timed.filter(
    (one) => !marks.values.some((old) => old.slot === one.slot && old.fromMs === one.fromMs),
  );
  const open = marks.calls.at(-1);
  const isDoing = stage === 'doing';
  const calls =
    open?.toMs === null
      ? isDoing
        ? marks.calls
        : [...marks.calls.slice(0, -1), { ...open, toMs: atMs }]
      : isDoing
        ? [...marks.calls, { errand, fromMs: atMs, toMs: null }]
        : marks.calls;
  return { values: [...marks.values, ...fresh], calls };
}

const UNHEARD_WORDS = {
  silence: 'Nothing was said.',
  noise: 'That was a noise, not a word.',
  echo: 'That was the assistant’s own voice.',
  'no-words': 'That was not understood. Please say it again, or type it.',
};

/** The words' times of a phrase are known better now. */
function withWords(view: TalkView, speech: number, words: Speech['words']): TalkView {
  const speeches = view.speeches.map((one) => (one.speech === speech ? { ...one, words } : one));
  return { ...view, speeches };
}

function last<T>(items: readonly T[], change: (item: T) => T): T[] {
  return items.map((item, i) => (i === items.length - 1 ? change(item) : item));
}

const relievedWords = ({ from, to, why }: ServiceMessageOf<'relieved'>) =>
  `${to} has taken over from ${from}${why === '' ? '' : `: ${why}`}.`;

/** The view after one more message. */
export function showMessage(view: TalkView, message: ServiceMessage): TalkView {
  switch (message.kind) {
    case 'admitted':
      return showAdmitted(view, message);
    case 'errand':
      return { ...view, errand: message, marks: withErrand(view.marks, message) };
    case 'screen':
      return { ...view, screen: message };
    case 'state':
      // A turn that is over is not held any more, though no key came up: a tap had only woken it.
      return { ...view, phase: message.state, ...(message.state === 'working' ? { pressed: false } : {}) };
    case 'voice':
      return showVoice(view, message);
    case 'partial':
      return { ...view, segments: last(view.segments, (one) => ({ ...one, ...partOf(view, message) })) };
    case 'final':
      return showFinal(view, message);
    case 'unheard':
      return { ...view, notice: UNHEARD_WORDS[message.reason] };
    case 'swapped':
      return {
        ...view,
        serving: { ...view.serving, [message.role]: message.engine },
        notice: `${message.engine} serves from now on.`,
      };
    case 'languageSet':
      return {
        ...view,
        hears: message.hears,
        speaks: message.speaks,
        notice: `It hears ${languageName(message.hears)} and speaks ${languageName(message.speaks)} from now on.`,
      };
    case 'relieved':
      return { ...view, notice: relievedWords(message) };
    case 'handOver':
      return { ...view, notice: 'A person is asked to take over.' };
    case 'joined':
    case 'person':
      return showPerson(view, message);
    case 'spent':
      return { ...view, spent: message.sums };
    case 'answerLength':
      return { ...view, notice: `Answers are ${message.length} from now on.` };
    case 'speech': {
      const { speech, turn, text, words } = message;
      if (view.speeches.some((known) => known.speech === speech)) return withWords(view, speech, words);
      const one = { speech, turn, text, words, fromMs: null, playedMs: 0, over: false };
      // Phrases are made side by side: the later one may be there first.
      const speeches = [...view.speeches, one].sort((a, b) => a.speech - b.speech);
      return { ...view, speeches };
    }
    case 'hush':
      return { ...view, hushes: [...view.hushes, message.atMs] };
    case 'turn':
      return {
        ...view,
        reports: [...view.reports, message.report],
        speeches: view.speeches.map((one) =>
          one.turn === message.report.turn ? { ...one, over: true } : one,
        ),
      };
    case 'fresh':
      return { ...emptyView, ...keptOver(view), notice: 'A fresh start: nothing of before is remembered.' };
    case 'trouble':
      return { ...view, trouble: message };
    case 'farewell':
      return { ...view, connection: 'ended' };
    default:
      return view;
  }
}

function showAdmitted(view: TalkView, message: ServiceMessageOf<'admitted'>): TalkView {
  const { recorded, conversation, lineup, hears, speaks, floor, wake, hint } = message;
  const first = (role: LineupEntry['role']) => lineup.find((one) => one.role === role)?.engine ?? '';
  const serving = { stt: first('stt'), llm: first('llm'), tts: first('tts') };
  return {
    ...view,
    connection: 'open',
    recorded,
    conversation,
    lineup,
    serving,
    hears,
    speaks,
    floor,
    wake,
    hint,
  };
}

/** What a fresh start leaves as it is. */
const KEPT = [
  'connection',
  'phase',
  'recorded',
  'conversation',
  'lineup',
  'serving',
  'spent',
  'hears',
  'speaks',
  'floor',
  'wake',
  'pressed',
  'hint',
] as const;

function keptOver(view: TalkView): Partial<TalkView> {
  return Object.fromEntries(KEPT.map((key) => [key, view[key]]));
}

/** Who talks with the caller; and, for a guest, that the line is there. */
function showPerson(view: TalkView, message: ServiceMessageOf<'joined' | 'person'>): TalkView {
  if (message.kind === 'joined')
    return {
      ...view,
      connection: 'open',
      conversation: message.conversation,
      recorded: message.recorded,
      person: message.person,
    };
  const { name } = message;
  return {
    ...view,
    person: name,
    notice: name === null ? 'The assistant is back.' : `${name} has taken over.`,
  };
}

function showVoice(view: TalkView, { change, voiceMs }: ServiceMessageOf<'voice'>): TalkView {
  if (change === 'ended')
    return { ...view, segments: last(view.segments, (one) => ({ ...one, toMs: voiceMs })) };
  const segment = { turn: 0, by: null, fromMs: voiceMs, toMs: null, settled: '', open: '', words: null };
  return { ...view, segments: [...view.segments, segment], notice: '' };
}

/** A partial has the words of its whole turn; those of earlier segments of the turn are shown there. */
function partOf(view: TalkView, { turn, by, settled, open }: ServiceMessageOf<'partial'>) {
  const before = view.segments
    .slice(0, -1)
    .filter((one) => one.turn === turn)
    .map(segmentText)
    .join(' ');
  return {
    turn,
    by: by ?? null,
    settled: settled.startsWith(before) ? settled.slice(before.length).trim() : settled,
    open,
  };
}

function showFinal(view: TalkView, { turn, by, text, words }: ServiceMessageOf<'final'>): TalkView {
  const waiting = view.segments.findIndex(({ words: found }) => found === null);
  const segments = view.segments.map((one, i) =>
    i === waiting ? { ...one, turn, by: by ?? null, settled: text, open: '', words } : one,
  );
  return { ...view, segments };
}

export function segmentText({ settled, open }: CallerSegment): string {
  return [settled, open].filter(Boolean).join(' ');
}

/** The line has played `playedMs` of a speech when the axis stood at `atMs`. */
export function showPlayed(view: TalkView, speech: number, playedMs: number, atMs: number): TalkView {
  return {
    ...view,
    speeches: view.speeches.map((one) =>
      one.speech === speech ? { ...one, playedMs, fromMs: one.fromMs ?? atMs - playedMs } : one,
    ),
  };
}

/** The caller's words at their times; provisional ones are spread over the time of their voice. */
export function callerWords(segment: CallerSegment, nowMs: number): SpokenWord[] {
  if (segment.words) return segment.words.map((word) => ({ ...word, look: 'ink' }));
  const settled = segment.settled.split(' ').filter(Boolean);
  const open = segment.open.split(' ').filter(Boolean);
  const all = [...settled, ...open];
  const each = ((segment.toMs ?? nowMs) - segment.fromMs) / Math.max(1, all.length);
  return all.map((word, i) => ({
    word,
    fromMs: segment.fromMs + i * each,
    toMs: segment.fromMs + (i + 1) * each,
    look: i < settled.length ? 'ink' : 'pencil',
  }));
}

/** The assistant's words at their times: in ink when heard, struck when they never will be. */
export function assistantWords({ words, fromMs, playedMs, over }: Speech): SpokenWord[] {
  if (fromMs === null) return [];
  return words.map(({ word, endMs }, i) => ({
    word,
    fromMs: fromMs + (words[i - 1]?.endMs ?? 0),
    toMs: fromMs + endMs,
    look: endMs <= playedMs ? 'ink' : over ? 'struck' : 'pencil',
  }));
}
