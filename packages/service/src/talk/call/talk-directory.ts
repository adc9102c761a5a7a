/** The talks that go on: how many, and what is wanted of one of them, or of all, from outside. */
import type { EngineRole, Leaving } from '@verbalon/core';
import { ProblemError } from '../../problems/problems.js';
import type { Call } from './call.js';

export interface TalkDirectory {
  readonly count: number;
  /** Another engine is to serve in a talk. @throws ProblemError `talk-unknown`, `engine-forbidden` */
  swap(conversation: string, role: EngineRole, engine: string): void;
  /** Another language is to be heard, or spoken. @throws ProblemError `talk-unknown`, `language-unknown` */
  setLanguage(conversation: string, wanted: { hears?: string; speaks?: string }): void;
  /** Talks end whose key holds no more. @param goesOn may what was begun with this key go on? */
  endRevoked(goesOn: (key: string) => boolean): void;
  endAll(how: Leaving): void;
}

/** Those of this process. */
export class TalksHere implements TalkDirectory {
  /** By their tokens. */
  private readonly calls = new Map<string, Call>();

  get count(): number {
    return this.calls.size;
  }

  begun(call: Call): void {
    this.calls.set(call.token, call);
  }

  ended(call: Call): void {
    this.calls.delete(call.token);
  }

  /** The talk that a lost line goes on with. */
  byToken(token: string): Call | undefined {
    return this.calls.get(token);
  }

  of(conversation: string): Call | undefined {
    return [...this.calls.values()].find((call) => call.conversation === conversation);
  }

  swap(conversation: string, role: EngineRole, engine: string): void {
    this.goingOn(conversation).session.swap(role, engine, true);
  }

  setLanguage(conversation: string, wanted: { hears?: string; speaks?: string }): void {
    this.goingOn(conversation).session.setLanguage(wanted, true);
  }

  endRevoked(goesOn: (key: string) => boolean): void {
    for (const call of [...this.calls.values()]) {
      const { key } = call.rights;
      if (key !== null && !goesOn(key)) call.revoke();
    }
  }

  endAll(how: Leaving): void {
    for (const call of [...this.calls.values()]) call.over(how);
  }

  private goingOn(conversation: string): Call {
    const call = this.of(conversation);
    if (!call) throw new ProblemError('talk-unknown', `${conversation} is not going on`);
    return call;
  }
}
