/** From a wish to arrive to a talk that may begin: who it is, which assistant it is for, and whether there is room for one more. */
import type { Caller, CallerMessageOf } from '@verbalon/protocol';
import type { Door, Entry } from '../access/door.js';
import type { Limits } from '../access/limits.js';
import { mustHave, type Visitor } from '../access/visitor.js';
import { ProblemError } from '../problems.js';
import type { Assistant } from '../project/events.js';
import type { Admission } from './admission.js';

export interface Gatekeepers {
  readonly door: Door;
  readonly limits: Limits;
  readonly admission: Admission;
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
  /** Called when the talk is over. */
  release: () => void;
}

/** @param shown who came, or why what they showed opens nothing @throws ProblemError `service-full`, `talks-too-many`, and whatever speaks against the caller */
export async function admit(
  { door, limits, admission, assistant: find }: Gatekeepers,
  entry: Entry,
  shown: Visitor | ProblemError,
  { pass, assistant: wanted, caller }: CallerMessageOf<'arrive'>,
): Promise<Admitted> {
  const visitor = pass === undefined ? shown : await door.withToken(pass, entry);
  if (visitor instanceof ProblemError) throw visitor;
  mustHave(visitor, 'talk');
  const of = visitor.pass;
  if (of && wanted !== undefined && wanted !== of.assistant)
    throw new ProblemError('scope-missing', `the page token is for the assistant "${of.assistant}", and not for "${wanted}"`); // prettier-ignore
  const assistant = find(of?.assistant ?? wanted);
  const full = admission.full();
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
    callerSure: of ? of.caller !== null : visitor.key !== null,
    release,
  };
}

/** What a page says of its caller by itself: an id would open what belongs to somebody else. */
function unsigned(caller: Caller | undefined): Caller | undefined {
  if (!caller) return undefined;
  const { name, values } = caller;
  return { ...(name === undefined ? {} : { name }), ...(values === undefined ? {} : { values }) };
}
