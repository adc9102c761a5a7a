/**
 * From a wish to arrive to a talk that may begin: who it is, which assistant it is for, and whether there is
 * room for one more.
 */
import type { Caller, CallerMessageOf } from '@verbalon/protocol';
import type { Door, Entry } from '../../access/door.js';
import type { Limits } from '../../access/limits.js';
import { mustHave, type Visitor } from '../../access/visitor.js';
import { ProblemError } from '../../problems/problems.js';
import type { Assistant } from '../../project/events.js';
import type { Capacity } from './capacity.js';

export interface Gatekeepers {
  readonly door: Door;
  readonly limits: Limits;
  readonly capacity: Capacity;
  /** @throws ProblemError `assistant-unknown`, or what is wrong with its file */
  assistant(name: string | undefined): Assistant;
}

export interface Admitted {
  assistant: Assistant;
  /** Of the stored talk; null where the service is open. */
  admittedBy: string | null;
  caller: Caller | undefined;
  /** Somebody who has a key says who the caller is, and not only the caller's own page. */
  callerSure: boolean;
  rights: TalkRights;
  /** Called when the talk is over. */
  release: () => void;
}

/** What whoever is on the line may do in the talk, besides talking. */
export interface TalkRights {
  /** The id of the key that the talk hangs on; null where there is none. */
  key: string | null;
  /** Somebody with a key of their own, or anybody where no key was ever made: no page, no telephone. */
  chooses: boolean;
  /** What engines and files say of their troubles may be told. */
  reads: boolean;
}

function rightsOf({ key, scopes, pass }: Visitor): TalkRights {
  const isOwn = pass === undefined && (key !== null || scopes.includes('manage'));
  return { key, chooses: isOwn, reads: isOwn && scopes.includes('read') };
}

/**
 * @param shown who came, or why what they showed opens nothing @throws ProblemError `service-full`,
 * `talks-too-many`, and whatever speaks against the caller
 */
export async function admit(
  { door, limits, capacity, assistant: find }: Gatekeepers,
  entry: Entry,
  shown: Visitor | ProblemError,
  { pass, assistant: wanted, caller }: CallerMessageOf<'arrive'>,
): Promise<Admitted> {
  const visitor = pass === undefined ? shown : await door.withToken(pass, entry);
  if (visitor instanceof ProblemError) throw visitor;
  mustHave(visitor, 'talk');
  const of = visitor.pass;
  const assistant = find(of ? assistantOf(of, wanted) : wanted);
  const full = capacity.full();
  if (full !== null) throw new ProblemError('service-full', full);
  const release = await limits.admit(visitor, { name: assistant.name, limits: assistant.file.limits ?? {} });
  try {
    if (of) await door.spend(of);
  } catch (error) {
    release();
    throw error;
  }
  return {
    assistant,
    admittedBy: visitor.key === null && !of ? null : visitor.who,
    caller: of ? (of.caller ?? unsigned(caller)) : caller,
    callerSure: of ? of.caller !== null : rightsOf(visitor).chooses,
    rights: rightsOf(visitor),
    release,
  };
}

/** The one that a page token is for. @throws ProblemError `scope-missing` where another one is wanted */
function assistantOf({ assistant }: NonNullable<Visitor['pass']>, wanted: string | undefined): string {
  if (wanted === undefined || wanted === assistant) return assistant;
  throw new ProblemError(
    'scope-missing',
    `the page token is for the assistant "${assistant}", and not for "${wanted}"`,
  );
}

/** What a page says of its caller by itself: an id would open what belongs to somebody else. */
function unsigned(caller: Caller | undefined): Caller | undefined {
  if (!caller) return undefined;
  const { name, values } = caller;
  return { ...(name === undefined ? {} : { name }), ...(values === undefined ? {} : { values }) };
}
