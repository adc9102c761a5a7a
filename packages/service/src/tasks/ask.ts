/** One question to an assistant's model, as text. */
import { addEntry, spokenLanguage, type AnswerLength, type Entry, type Role } from '@verbalon/core';
import type { LlmEngine } from '@verbalon/engines';
import type { AskAnswer } from '@verbalon/protocol';
import { randomUUID } from 'node:crypto';
import type { Assistant } from '../project/events.js';
import { wholeAnswer } from './whole.js';

export interface Question {
  text: string;
  /** What was said before. */
  before: readonly { role: Role; text: string }[];
  answerLength?: AnswerLength | undefined;
}

/** @throws EngineFault */
export async function ask(
  { text, before, answerLength }: Question,
  { name, plan, file }: Assistant,
  llm: LlmEngine,
  signal: AbortSignal,
): Promise<Omit<AskAnswer, 'conversation'>> {
  const messages = addEntry(
    before.reduce<Entry[]>((all, one) => addEntry(all, one.role, one.text), []),
    'caller',
    text,
  );
  const request = {
    persona: plan.persona,
    answerLength: answerLength ?? plan.manners.answerLength,
    language: spokenLanguage(plan),
    talk: `question-${randomUUID()}`,
    turn: 1,
    alone: true,
    stay: file.stay ?? null,
    signal,
  };
  const { firstMs, endMs, ...written } = await wholeAnswer(llm, { ...request, messages });
  const ms = (value: number) => Math.round(value * 10) / 10;
  return {
    assistant: name,
    engine: llm.name,
    text: written.text,
    firstPieceMs: ms(firstMs ?? 0),
    tookMs: ms(endMs),
  };
}
