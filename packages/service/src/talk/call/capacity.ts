/**
 * How many talks are let in: as many as are measured to fit on the event loop that paces the sound of all.
 * What a talk costs is taken from the time that the loop was busy and the talks that went on, and from
 * experience until there are enough of them.
 */
import { performance } from 'node:perf_hooks';

/** So much of the loop's time may be busy: what is left keeps sound in time. */
const BUSY_SHARE = 0.75;
/** Above this share, over some seconds, nobody more is let in, whatever talks cost. */
const MOST_BUSY = 0.9;
/**
 * What a talk was measured to cost, as a share of the loop's time (docs/measures.md), and the least that is
 * believed.
 */
const USUAL_COST = 0.024;
const LEAST_COST = 0.004;
/** With fewer talks than this nothing is learned, and nobody is refused. */
const LEAST_TALKS = 8;
/** How fast what is known follows what is measured. */
const LEARNED_SHARE = 0.2;
const FORGOTTEN_SHARE = 0.05;
const LOOK_EVERY_MS = 500;
/**
 * Arriving costs too, and is no part of what a talk costs: where more arrive between two looks than this
 * share of the talks that go on, nothing is learned; for so many looks at most.
 */
const MANY_ARRIVE = 0.2;
const MOST_UNLEARNED = 10;
/** Whoever is refused is told to come again after this, in ms. */
export const COME_AGAIN_MS = 10_000;

export interface AdmissionOptions {
  /** Talks that go on. */
  talks: () => number;
  /** Never more than this, whatever fits. */
  most?: number | undefined;
}

export class Capacity {
  private cost = USUAL_COST;
  private busyShare = 0;
  private arrived = 0;
  private unlearned = 0;
  private last = performance.eventLoopUtilization();
  private readonly timer: NodeJS.Timeout;

  constructor(private readonly options: AdmissionOptions) {
    this.timer = setInterval(() => this.look(), LOOK_EVERY_MS);
    this.timer.unref();
  }

  /** So many talks fit. */
  get most(): number {
    const fit = Math.max(LEAST_TALKS, Math.floor(BUSY_SHARE / this.cost));
    return Math.min(fit, this.options.most ?? Infinity);
  }

  /** Why there is no room for one more; null when there is. */
  full(): string | null {
    this.arrived++;
    const talks = this.options.talks();
    const isBusy = talks >= LEAST_TALKS && this.busyShare > MOST_BUSY;
    return talks < this.most && !isBusy
      ? null
      : `${talks} talks go on, and no more fit; come again in ${COME_AGAIN_MS / 1000} s`;
  }

  /** Of the time since the last look the loop was busy for this share. */
  learn(busyShare: number): void {
    this.busyShare += LEARNED_SHARE * (busyShare - this.busyShare);
    const talks = this.options.talks();
    const manyArrived = this.arrived > MANY_ARRIVE * talks;
    this.arrived = 0;
    if (manyArrived && ++this.unlearned < MOST_UNLEARNED) return;
    this.unlearned = 0;
    // Of few talks nothing can be told: what strange ones cost is forgotten bit by bit.
    if (talks < LEAST_TALKS) this.cost += FORGOTTEN_SHARE * (USUAL_COST - this.cost);
    else this.cost += LEARNED_SHARE * (Math.max(LEAST_COST, busyShare / talks) - this.cost);
  }

  stop(): void {
    clearInterval(this.timer);
  }

  private look(): void {
    const now = performance.eventLoopUtilization();
    this.learn(performance.eventLoopUtilization(now, this.last).utilization);
    this.last = now;
  }
}
