/** Somebody who asks something of the service, and what they may. */
import type { Caller, Scope, TalkLimits } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';

export interface Visitor {
  /** The name of a key, `page of …`, or `anyone`. */
  who: string;
  /** The id of a key; null where there is none. */
  key: string | null;
  scopes: readonly Scope[];
  address: string;
  limits: TalkLimits;
  /** What a page token says. */
  pass?: { id: string; assistant: string; caller: Caller | null };
}

/** Whoever shows nothing. */
export const NOBODY: Visitor = { who: 'nobody', key: null, scopes: [], address: '', limits: {} };

/**
 * @throws ProblemError `key-missing` of somebody who showed nothing, `scope-missing` of a key that is for
 * something else
 */
export function mustHave(visitor: Visitor, scope: Scope): void {
  if (visitor.scopes.includes(scope)) return;
  if (visitor.scopes.length === 0) throw new ProblemError('key-missing', `this needs a key with "${scope}"`);
  throw new ProblemError(
    'scope-missing',
    `${visitor.who} has ${visitor.scopes.join(', ')}, and this needs "${scope}"`,
  );
}
