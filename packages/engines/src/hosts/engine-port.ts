/** The way to a local engine: a host of its own for each job, reached by messages. */
import type { Readiness } from '../common/contract.js';

export interface Lease<In, Out> {
  /** Names what is done in it: messages carry it, and the host says that it is idle again with it. */
  readonly job: number;
  send(message: In): void;
  /** Messages from the host, while the lease lasts. */
  onMessage: (message: Out) => void;
  /** The host has died; the lease is over. */
  onDeath: (why: string) => void;
  /**
   * The host is lent to the next one as soon as it is done with the job; where that takes too long it is
   * replaced.
   */
  release(): void;
}

export interface EnginePort<In, Out> {
  readiness(): Readiness;
  /** Resolves when all hosts are ready. @throws EngineFault `engine-down` when they cannot start */
  warm(): Promise<void>;
  /**
   * A host of one's own until it is released. @throws EngineFault `engine-down`, or `engine-busy` when all
   * are for long
   */
  lease(): Promise<Lease<In, Out>>;
  /** Sends to every host, leased or not. */
  broadcast(message: In): void;
  /** Process ids, for tests that kill one. */
  pids(): number[];
  close(): Promise<void>;
}
