/** What a journal comes to: captions, the reports of its turns, when turns were ended. */
import type { Happening } from '../conductor/contract/happenings.js';
import type { Order } from '../conductor/contract/orders.js';
import type { TurnReport } from '../conductor/contract/report.js';
import type { HeardWord, WordTime } from '../vocabulary/words.js';
import type { JournalSide } from './pack.js';

/** An entry of a journal, as its reader gives it. */
export interface Kept {
  side: JournalSide;
  body: unknown;
}

/** The reports of its turns, in order. */
export function reportsIn(journal: readonly Kept[]): TurnReport[] {
  return journal.flatMap(({ side, body }) => {
    const order = body as Order;
    return side === 'order' && order.kind === 'tell' && order.message.kind === 'turn'
      ? [order.message.report]
      : [];
  });
}

/** When the assistant took the caller's turn for over, in ms on the caller's axis. */
export function endingsIn(journal: readonly Kept[]): number[] {
  const found: number[] = [];
  let nowMs = 0;
  for (const { side, body } of journal) {
    if (side === 'happening') nowMs = (body as Happening).nowMs;
    else if (isEnding(body as Order)) found.push(nowMs);
  }
  return found;
}

export function isEnding(order: Order): boolean {
  return order.kind === 'tell' && order.message.kind === 'state' && order.message.state === 'working';
}

export interface SpokenTurn {
  who: 'caller' | 'assistant';
  words: HeardWord[];
}

interface Speech {
  words: readonly WordTime[];
  fromMs: number | null;
  playedMs: number;
}

/** Who said which word when: the caller's finals, and what was heard of the assistant. */
export function captionsOf(journal: readonly Kept[]): SpokenTurn[] {
  const turns: SpokenTurn[] = [];
  const speeches = new Map<number, Speech>();
  for (const { side, body } of journal) {
    if (side === 'order') takeOrder(body as Order, turns, speeches);
    else takeHappening(body as Happening, speeches);
  }
  for (const { words, fromMs, playedMs } of speeches.values()) {
    if (fromMs === null) continue;
    const heard = words.filter(({ endMs }) => endMs <= playedMs);
    const timed = heard.map(({ word, endMs }, i) => ({
      word,
      fromMs: fromMs + (heard[i - 1]?.endMs ?? 0),
      toMs: fromMs + endMs,
    }));
    if (timed.length > 0) turns.push({ who: 'assistant', words: timed });
  }
  return turns;
}

function takeOrder(order: Order, turns: SpokenTurn[], speeches: Map<number, Speech>): void {
  if (order.kind !== 'tell') return;
  const { message } = order;
  if (message.kind === 'final' && message.words.length > 0)
    turns.push({ who: 'caller', words: message.words });
  if (message.kind === 'speech' && !speeches.has(message.speech))
    speeches.set(message.speech, { words: message.words, fromMs: null, playedMs: 0 });
}

function takeHappening(happening: Happening, speeches: Map<number, Speech>): void {
  if (happening.kind === 'audio') {
    const speech = speeches.get(happening.speech);
    if (speech) speech.words = happening.words;
  }
  if (happening.kind !== 'played' || happening.playedMs === 0) return;
  const speech = speeches.get(happening.speech);
  if (!speech) return;
  speech.fromMs ??= happening.atMs - happening.playedMs;
  speech.playedMs = Math.max(speech.playedMs, happening.playedMs + 2);
}
