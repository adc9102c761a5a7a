/**
 * How many talks somebody may have: at the same time, and in a day. Whoever may have no more is told when to
 * come again.
 */
import type { TalkLimits } from '@verbalon/protocol';
import type { Logger } from 'pino';
import { causeOf } from '../database/connection.js';
import type { AccessStore, DayLimit } from '../database/access-store.js';
import { ProblemError } from '../problems/problems.js';
import { addressUnit } from './address-unit.js';
import type { Visitor } from './visitor.js';

/** Whoever has too many talks at once is told to come again after this, in s. */
const COME_AGAIN_S = 10;

interface Bound {
  whose: string;
  /** As it is told. */
  named: string;
  limits: TalkLimits;
}

export class Limits {
  private readonly atOnce = new Map<string, number>();

  /** @param ofAddress what one address may have */
  constructor(
    private readonly store: AccessStore,
    private readonly log: Logger,
    private readonly ofAddress: () => TalkLimits,
  ) {}

  /** One more talk. @returns what is to be called when it is over @throws ProblemError `talks-too-many` */
  async admit(visitor: Visitor, assistant: { name: string; limits: TalkLimits }): Promise<() => void> {
    const bounds: Bound[] = [
      ...(visitor.key === null
        ? []
        : [{ whose: `key ${visitor.key}`, named: `the key of ${visitor.who}`, limits: visitor.limits }]),
      {
        whose: `address ${addressUnit(visitor.address)}`,
        named: `the address ${visitor.address}`,
        limits: this.ofAddress(),
      },
      {
        whose: `assistant ${assistant.name}`,
        named: `the assistant "${assistant.name}"`,
        limits: assistant.limits,
      },
    ].filter(({ limits }) => limits.talksAtOnce !== undefined || limits.talksADay !== undefined);
    if (bounds.length === 0) return () => undefined;
    for (const { whose, named, limits } of bounds) {
      const now = this.atOnce.get(whose) ?? 0;
      if (now >= (limits.talksAtOnce ?? Infinity))
        throw new ProblemError(
          'talks-too-many',
          `${named} has ${now} talks going on, and may have no more; come again in ${COME_AGAIN_S} s`,
        );
    }
    // Before anything is waited for: of two that arrive together only one may be the last.
    for (const { whose } of bounds) this.atOnce.set(whose, (this.atOnce.get(whose) ?? 0) + 1);
    const release = () => bounds.forEach(({ whose }) => this.oneLess(whose));
    try {
      await this.countDay(bounds);
    } catch (error) {
      release();
      throw error;
    }
    return release;
  }

  private oneLess(whose: string): void {
    const left = (this.atOnce.get(whose) ?? 1) - 1;
    if (left > 0) this.atOnce.set(whose, left);
    else this.atOnce.delete(whose);
  }

  private async countDay(bounds: readonly Bound[]): Promise<void> {
    const limited: DayLimit[] = bounds.flatMap(({ whose, limits }) =>
      limits.talksADay === undefined ? [] : [{ whose, most: limits.talksADay }],
    );
    if (limited.length === 0) return;
    let full: DayLimit | null;
    try {
      full = await this.store.countTalk(new Date().toISOString().slice(0, 10), limited);
    } catch (error) {
      // A database that is away is no reason to send callers away.
      this.log.warn({ why: causeOf(error) }, 'talks of the day cannot be counted now');
      return;
    }
    if (full === null) return;
    const { named } = bounds.find(({ whose }) => whose === full.whose)!;
    throw new ProblemError(
      'talks-too-many',
      `${named} has had its ${full.most} talks of today; come again after midnight (UTC)`,
    );
  }
}
