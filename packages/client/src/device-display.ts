/** What a device with one button, a light and a display of two lines shows of a talk. */
import { assistantWords, segmentText, type TalkView } from './talk-view.js';

export type Light = 'off' | 'breathing' | 'listening' | 'working' | 'answering' | 'trouble';

export interface DeviceDisplay {
  light: Light;
  lines: [string, string];
}

export function lightOf({ connection, phase, trouble, pressed }: TalkView): Light {
  if (connection === 'lost' || connection === 'away' || trouble) return 'trouble';
  if (connection !== 'open') return 'off';
  if (pressed) return 'listening';
  return phase === 'resting' ? 'breathing' : phase;
}

/** It fits on a line of a display. */
const RECORDED = 'Recorded';

/** A voice is between these levels, in dBFS: a shut and an open mouth. */
const SHUT_DB = -50;
const OPEN_DB = -12;

/** How far a figure's mouth is open for a sound of this level in dBFS, 0 to 1. */
export function mouthAt(levelDb: number): number {
  return Math.min(1, Math.max(0, (levelDb - SHUT_DB) / (OPEN_DB - SHUT_DB)));
}

/** @param columns characters that fit on a line */
export function deviceDisplay(view: TalkView, columns: number): DeviceDisplay {
  return { light: lightOf(view), lines: linesOf(view, columns) };
}

function linesOf(view: TalkView, columns: number): [string, string] {
  const { connection, phase, trouble, pressed } = view;
  if (connection === 'away') return ['No connection', 'trying again …'];
  if (trouble) return inTwo(trouble.title, columns);
  if (connection === 'ended' || connection === 'lost') return ['The talk is over', ''];
  // Before the caller's first word is kept it is shown that it will be.
  const isFirst = view.recorded && view.segments.length === 0;
  if (phase === 'answering' && isFirst) return [RECORDED, inTwo(spokenNow(view), columns)[1]];
  if (phase === 'answering') return inTwo(spokenNow(view), columns);
  if (phase === 'working') return ['Thinking …', tail(callerWords(view), columns)];
  if (pressed) return ['Listening', tail(callerWords(view), columns)];
  const words = (phase === 'listening' ? callerWords(view) : '') || (isFirst ? RECORDED : '');
  if (view.notice !== '') return inTwo(view.notice, columns);
  return [view.hint || (phase === 'resting' ? 'Resting' : 'Listening'), tail(words, columns)].map((line) =>
    head(line, columns),
  ) as [string, string];
}

/** The words of the turn that is being heard. */
function callerWords({ segments, speeches }: TalkView): string {
  const last = segments.at(-1);
  if (!last) return '';
  const answered = speeches.some(({ fromMs }) => fromMs !== null && fromMs > last.fromMs);
  return answered ? '' : segmentText(last);
}

/** The phrase that sounds, up to a little after the word that is spoken now. */
function spokenNow({ speeches, segments }: TalkView): string {
  const speech = speeches.findLast(({ fromMs }) => fromMs !== null);
  if (!speech) return '';
  const words = assistantWords(speech);
  const now = words.findIndex(({ look }) => look !== 'ink');
  // The last answer's words are stale: this one's have not begun.
  if (now < 0 && (segments.at(-1)?.fromMs ?? 0) > speech.fromMs!) return '';
  return words
    .slice(0, now < 0 ? words.length : now + 2)
    .map(({ word }) => word)
    .join(' ');
}

/** The last two lines of a text that is broken at its words. */
function inTwo(text: string, columns: number): [string, string] {
  const lines = [''];
  for (const word of text.split(' ')) {
    const longer = lines.at(-1) === '' ? word : `${lines.at(-1)!} ${word}`;
    if (lines.at(-1) === '' || longer.length <= columns) lines[lines.length - 1] = longer.slice(0, columns);
    else lines.push(word.slice(0, columns));
  }
  return lines.length === 1 ? [lines[0]!, ''] : [lines.at(-2)!, lines.at(-1)!];
}

function head(text: string, columns: number): string {
  return text.length <= columns ? text : `${text.slice(0, columns - 1)}…`;
}

function tail(text: string, columns: number): string {
  return text.length <= columns ? text : `…${text.slice(1 - columns)}`;
}
