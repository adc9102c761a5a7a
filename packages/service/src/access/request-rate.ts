/**
 * So many requests a second are taken of one address, whatever they are: over HTTP, and to open a line. Where
 * the service is open, as many as it likes.
 */
import { MemoryStore } from 'express-rate-limit';
import { ProblemError } from '../problems/problems.js';
import { addressUnit } from './address-unit.js';

const USUAL_REQUESTS_A_SECOND = 100;
const WINDOW_MS = 1_000;

export interface RateOptions {
  /** As the project's file says it now. */
  most: () => number | undefined;
  isOpen: () => boolean;
}

export class RequestRate {
  private readonly counts = new MemoryStore();

  constructor(private readonly options: RateOptions) {
    this.counts.init({ windowMs: WINDOW_MS } as Parameters<MemoryStore['init']>[0]);
  }

  /** One more of this address. @throws ProblemError `requests-too-many` */
  async take(address: string): Promise<void> {
    const { most, isOpen } = this.options;
    const asked = most();
    if (asked === undefined && isOpen()) return;
    const limit = asked ?? USUAL_REQUESTS_A_SECOND;
    const { totalHits } = await this.counts.increment(addressUnit(address));
    if (totalHits > limit)
      throw new ProblemError('requests-too-many', `${address} sent more than ${limit} within a second`);
  }

  stop(): void {
    this.counts.shutdown();
  }
}
