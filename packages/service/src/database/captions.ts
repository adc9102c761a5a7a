/** Who said which word when, out of the journal: the caller's finals, and what was heard of the assistant. */
import type { Happening, HeardWord, Order, WordTime } from '@verbalon/core';
import type { JournalEntry } from '@verbalon/protocol';

export interface SpokenTurn {
  who: 'caller' | 'assistant';
  words: HeardWord[];
}

interface Speech {
  words: readonly WordTime[];
  fromMs: number | null;
  playedMs: number;
}

export function captionsOf(journal: readonly JournalEntry[]): SpokenTurn[] {
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
