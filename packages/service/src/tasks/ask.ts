/** One question to an assistant's model, as text. */
import { addEntry, type AnswerLength, type Entry } from '@verbalon/core';
import type { LlmEngine } from '@verbalon/engines';
import type { AskAnswer } from '@verbalon/protocol';
import { randomUUID } from 'node:crypto';
import type { Assistant } from '../project/project.js';

export interface Question {
  text: string;
  /** What was said before. */
  before: readonly Entry[];
  answers?: AnswerLength | undefined;
}

/** @throws EngineFault */
export async function ask(
  { text, before, answers }: Question,
  { name, plan }: Assistant,
  llm: LlmEngine,
  signal: AbortSignal,
): Promise<AskAnswer> {
  const startMs = performance.now();
  const messages = addEntry(
    before.reduce<Entry[]>((all, one) => addEntry(all, one.role, one.text), []),
    'caller',
    text,
  );
  let answer = '';
  let firstPieceMs: number | null = null;
  const request = {
    persona: plan.persona,
    messages,
    answers: answers ?? plan.manners.answers,
    language: plan.speaks ?? plan.language,
    talk: `question-${randomUUID()}`,
    alone: true,
    signal,
  };
  for await (const event of llm.think(request)) {
    if (event.kind !== 'piece') continue;
    firstPieceMs ??= performance.now() - startMs;
    answer += event.text;
  }
  const ms = (value: number) => Math.round(value * 10) / 10;
  return {
    assistant: name,
    engine: llm.name,
    text: answer.trim(),
    firstPieceMs: ms(firstPieceMs ?? 0),
    tookMs: ms(performance.now() - startMs),
  };
}
