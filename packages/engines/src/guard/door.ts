/**
 * What engines give, brought within bounds before anything else sees it: counts are counts, times lie in a
 * day, texts can be kept.
 */
import type { HeardWord, WordTime } from '@verbalon/core';
import { MOST_COUNT } from '@verbalon/protocol';
import type { LlmEvent, SttEvent, TtsEvent } from '../common/contract.js';

/** No word of a segment or a phrase comes later than this, in ms. */
const MOST_MS = 86_400_000;
const MOST_WORDS = 5_000;
const MOST_ALTERNATIVES = 20;
const MOST_WORD_CHARACTERS = 500;

const within = (value: number, most: number) => (value > 0 ? Math.min(value, most) : 0);

/** Without NUL and halves of characters: no database keeps them. */
const text = (value: string) => value.toWellFormed().replaceAll('\0', ' ');

function heardWord({ word, fromMs, toMs, confidence, ...rest }: HeardWord): HeardWord {
  const from = within(fromMs, MOST_MS);
  return {
    ...rest,
    word: text(word).slice(0, MOST_WORD_CHARACTERS),
    fromMs: from,
    toMs: Math.max(from, within(toMs, MOST_MS)),
    ...(confidence === undefined ? {} : { confidence: within(confidence, 1) }),
  };
}

export function heardWithin(event: SttEvent): SttEvent {
  const words = event.words.slice(0, MOST_WORDS).map(heardWord);
  if (event.kind === 'partial') return { ...event, words };
  return { ...event, words, alternatives: event.alternatives.slice(0, MOST_ALTERNATIVES).map(text) };
}

export function thoughtWithin(event: LlmEvent): LlmEvent {
  if (event.kind === 'piece') return { ...event, text: text(event.text) };
  if (event.kind !== 'usage') return event;
  const count = (value: number) => Math.round(within(value, MOST_COUNT));
  return { ...event, inputTokens: count(event.inputTokens), outputTokens: count(event.outputTokens) };
}

export function soundWithin(event: TtsEvent): TtsEvent {
  const timed = ({ word, endMs }: WordTime): WordTime => ({
    word: text(word),
    endMs: within(endMs, MOST_MS),
  });
  return event.words === null ? event : { ...event, words: event.words.slice(0, MOST_WORDS).map(timed) };
}
