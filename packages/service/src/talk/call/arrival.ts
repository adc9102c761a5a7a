/** What comes from a line, read and checked: messages, and the wishes with which a caller arrives. */
import { primaryOf, spokenLanguage, type Plan } from '@verbalon/core';
import {
  callerMessages,
  check,
  type CallerMessage,
  type CallerMessageKind,
  type CallerMessageOf,
  type ServiceMessageOf,
} from '@verbalon/protocol';
import { nestsTooDeep } from '../../common/nesting.js';
import { ProblemError } from '../../problems/problems.js';
import type { Assistant } from '../../project/events.js';

/** @throws ProblemError `message-malformed` */
export function readMessage(data: Buffer): CallerMessage {
  let value: unknown;
  if (nestsTooDeep(data)) throw new ProblemError('message-malformed', 'it is nested too deep');
  try {
    value = JSON.parse(data.toString('utf8'));
  } catch {
    throw new ProblemError('message-malformed', `it is not JSON: ${data.toString('utf8').slice(0, 60)}`);
  }
  const kind = (value as { kind?: unknown } | null)?.kind;
  if (typeof kind !== 'string' || !Object.hasOwn(callerMessages, kind)) {
    const known = Object.keys(callerMessages).join(', ');
    throw new ProblemError('message-malformed', `its "kind" is ${JSON.stringify(kind)}; known are ${known}`);
  }
  const checked = check(callerMessages[kind as CallerMessageKind], value);
  if (!checked.ok) throw new ProblemError('message-malformed', `"${kind}": ${checked.detail}`);
  return checked.value;
}

/** The assistant's plan, as the line wants it. */
export function planFor(
  { plan: usual, plansIn }: Pick<Assistant, 'plan' | 'plansIn'>,
  { purpose, echo, floor, language }: CallerMessageOf<'arrive'>,
): Plan {
  const plan = plansIn.get(primaryOf(language ?? '')) ?? usual;
  const manners = {
    ...plan.manners,
    ...(floor ? { floor } : {}),
    ...(echo === 'loud' ? { interrupt: 'key' as const } : {}),
  };
  // A region of the assistant's own language is taken over; another language cannot be.
  const spoken = language && primaryOf(language) === primaryOf(plan.language) ? language : plan.language;
  if (purpose !== 'listen') return { ...plan, manners, language: spoken };
  return { ...plan, purpose, greeting: '', language: spoken, manners: { ...manners, interrupt: 'voice' } };
}

/** What the line is told of the talk that begins. */
export function welcome(
  { audio }: CallerMessageOf<'arrive'>,
  { name, file: { recorded = false, hint = '' } }: Assistant,
  plan: Plan,
): Omit<ServiceMessageOf<'admitted'>, 'kind' | 'atMs' | 'conversation' | 'lineup' | 'token'> {
  const { floor, interrupt } = plan.manners;
  const languages = { hears: plan.language, speaks: spokenLanguage(plan) };
  return { assistant: name, recorded, hint, audio, floor, interrupt, wake: wakesBy(plan), ...languages };
}

/** What wakes it, as its line is told: phrases only in the language in which something listens for them. */
function wakesBy({ manners: { wake }, wakeEars }: Plan): 'voice' | 'tap' | string[] {
  if (typeof wake === 'string') return wake;
  return wakeEars === undefined ? 'tap' : [...wake];
}

export function definedOnly(voice: {
  name?: string | undefined;
  rate?: number | undefined;
  pitchHz?: number | undefined;
  volume?: number | undefined;
}) {
  return Object.fromEntries(Object.entries(voice).filter(([, value]) => value !== undefined)) as {
    name?: string;
    rate?: number;
    pitchHz?: number;
    volume?: number;
  };
}
