/** Links with which a talk that goes on may be watched, or joined: they expire, and end with the talk. */
import { randomBytes } from 'node:crypto';
import type { May } from '@verbalon/protocol';
import { ProblemError } from '../../problems/problems.js';
import type { Call } from './call.js';
import type { TalksHere } from './talk-directory.js';

const MOST_VIEWS = 1_000;

export interface View {
  conversation: string;
  until: number;
  may: May;
  /** The key of whoever gave it out; null where there was none. */
  key: string | null;
  /** What is to be done when it ends before the talk does. */
  atEnd: Set<() => void>;
}

export class WatchLinks {
  private readonly views = new Map<string, View>();

  constructor(private readonly talks: Pick<TalksHere, 'of'>) {}

  /** @throws ProblemError `talk-over` for one that does not go on here */
  give(
    conversation: string,
    seconds: number,
    may: May,
    key: string | null,
  ): { token: string; expiresAt: string } {
    this.callOf(conversation);
    this.forget();
    const token = randomBytes(18).toString('base64url');
    const until = Date.now() + seconds * 1_000;
    this.views.set(token, { conversation, until, may, key, atEnd: new Set() });
    return { token, expiresAt: new Date(until).toISOString() };
  }

  /** @throws ProblemError `view-unknown`, `talk-over` */
  find(token: string): { call: Call; view: View } {
    const view = this.views.get(token);
    if (!view || view.until <= Date.now())
      throw new ProblemError('view-unknown', 'there is none, or it has expired');
    return { call: this.callOf(view.conversation), view };
  }

  /**
   * Whoever is there by this link leaves when it ends. @param leave is called then @returns to be called when
   * they leave before
   */
  hold(view: View, leave: () => void): () => void {
    const timer = setTimeout(() => over(), view.until - Date.now());
    const over = () => {
      stop();
      leave();
    };
    const stop = () => {
      clearTimeout(timer);
      view.atEnd.delete(over);
    };
    view.atEnd.add(over);
    return stop;
  }

  /**
   * Links end that hang on a key that holds no more. @param goesOn may what was begun with this key go on?
   */
  endRevoked(goesOn: (key: string) => boolean): void {
    for (const [token, { key, atEnd }] of this.views) {
      if (key === null || goesOn(key)) continue;
      this.views.delete(token);
      for (const over of [...atEnd]) over();
    }
  }

  private callOf(conversation: string): Call {
    const call = this.talks.of(conversation);
    if (!call) throw new ProblemError('talk-over', `the talk "${conversation}" does not go on here`);
    return call;
  }

  private forget(): void {
    for (const [token, { until }] of this.views)
      if (until <= Date.now() || this.views.size > MOST_VIEWS) this.views.delete(token);
  }
}
