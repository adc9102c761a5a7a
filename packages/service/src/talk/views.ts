/** Links with which a talk that goes on may be watched, or joined: they expire, and end with the talk. */
import { randomBytes } from 'node:crypto';
import type { May } from '@verbalon/protocol';
import { ProblemError } from '../problems.js';
import { callOf, type Call } from './call.js';

const MOST_VIEWS = 1_000;

export interface View {
  conversation: string;
  until: number;
  may: May;
}

export class Views {
  private readonly views = new Map<string, View>();

  constructor(private readonly calls: ReadonlyMap<string, Call>) {}

  /** @throws ProblemError `talk-over` for one that does not go on here */
  give(conversation: string, seconds: number, may: May): { token: string; expiresAt: string } {
    this.callOf(conversation);
    this.forget();
    const token = randomBytes(18).toString('base64url');
    const until = Date.now() + seconds * 1_000;
    this.views.set(token, { conversation, until, may });
    return { token, expiresAt: new Date(until).toISOString() };
  }

  /** @throws ProblemError `view-unknown`, `talk-over` */
  find(token: string): { call: Call; view: View } {
    const view = this.views.get(token);
    if (!view || view.until <= Date.now())
      throw new ProblemError('view-unknown', 'there is none, or it has expired');
    return { call: this.callOf(view.conversation), view };
  }

  private callOf(conversation: string): Call {
    const call = callOf(this.calls, conversation);
    if (!call) throw new ProblemError('talk-over', `the talk "${conversation}" does not go on here`);
    return call;
  }

  private forget(): void {
    for (const [token, { until }] of this.views)
      if (until <= Date.now() || this.views.size > MOST_VIEWS) this.views.delete(token);
  }
}
