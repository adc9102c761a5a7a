/** Links with which a talk that goes on may be watched, and nothing else: they expire, and end with the talk. */
import { randomBytes } from 'node:crypto';
import { ProblemError } from '../problems.js';
import type { Call } from './call.js';

const MOST_VIEWS = 1_000;

export class Views {
  private readonly views = new Map<string, { conversation: string; until: number }>();

  constructor(private readonly calls: ReadonlyMap<string, Call>) {}

  /** @throws ProblemError `talk-over` for one that does not go on here */
  give(conversation: string, seconds: number): { token: string; expiresAt: string } {
    this.callOf(conversation);
    this.forget();
    const token = randomBytes(18).toString('base64url');
    const until = Date.now() + seconds * 1_000;
    this.views.set(token, { conversation, until });
    return { token, expiresAt: new Date(until).toISOString() };
  }

  /** @throws ProblemError `view-unknown`, `talk-over` */
  find(token: string): { call: Call; until: number } {
    const view = this.views.get(token);
    if (!view || view.until <= Date.now())
      throw new ProblemError('view-unknown', 'there is none, or it has expired');
    return { call: this.callOf(view.conversation), until: view.until };
  }

  private callOf(conversation: string): Call {
    const call = [...this.calls.values()].find((one) => one.conversation === conversation);
    if (!call) throw new ProblemError('talk-over', `the talk "${conversation}" does not go on here`);
    return call;
  }

  private forget(): void {
    for (const [token, { until }] of this.views)
      if (until <= Date.now() || this.views.size > MOST_VIEWS) this.views.delete(token);
  }
}
