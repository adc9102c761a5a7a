/** What the conductor tells, as the line gets it. */
import { toldInWords, type Told } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { isProblemCode, PROBLEMS } from '../../problems/problems.js';

/** A message before its time is put to it. */
export type Untimed = ServiceMessage extends infer M
  ? M extends ServiceMessage
    ? Omit<M, 'atMs'>
    : never
  : never;

/** Causes become sentences; a trouble gets its title, and what to do. */
export function messageOf(told: Told): Untimed {
  const message = toldInWords(told);
  if (message.kind !== 'trouble') return message;
  const { title, remedy } = PROBLEMS[isProblemCode(message.code) ? message.code : 'internal'];
  return { ...message, title, remedy };
}
