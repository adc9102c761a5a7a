/**
 * The keys of a service: made, known again, revoked. They lie in the database and are looked at every few
 * seconds, so that nobody waits for it.
 */
import pLimit from 'p-limit';
import type { Logger } from 'pino';
import type { KeyRequest, KeySummary, NewKey } from '@verbalon/protocol';
import { causeOf } from '../database/connection.js';
import type { AccessStore, KeyRow } from '../database/access-store.js';
import { ProblemError } from '../problems/problems.js';
import {
  credentialText,
  newCredential,
  newSalt,
  quickHash,
  sameHash,
  slowHash,
  type Credential,
} from './credential.js';

/** A key that another process revokes holds at most for so long, in ms. */
const LOOK_EVERY_MS = 2_000;
const USE_NOTED_EVERY_MS = 60_000;
const DAY_MS = 86_400_000;
/** Hashes that are computed at once: the others wait, and talks do not. */
const MOST_HASHES = 1;
const MOST_HASHES_WAITING = 50;
/** Keys of which the secret was right before: as many as are in use. */
const MOST_PROVED = 1_000;

export class KeyRing {
  private rows: readonly KeyRow[] = [];
  private readonly hashing = pLimit(MOST_HASHES);
  /** Quick hashes of texts that were proved right, by the key's id. */
  private readonly proved = new Map<string, Buffer>();
  private readonly notedAt = new Map<string, number>();
  private readonly listeners = new Set<() => void>();

  private readonly timer: NodeJS.Timeout;

  private constructor(
    private readonly store: AccessStore,
    private readonly log: Logger,
  ) {
    this.timer = setInterval(() => void this.lookAgain(), LOOK_EVERY_MS);
    this.timer.unref();
  }

  static async open(store: AccessStore, log: Logger): Promise<KeyRing> {
    const ring = new KeyRing(store, log);
    await ring.look();
    return ring;
  }

  stop(): void {
    clearInterval(this.timer);
  }

  /** No key was ever made. */
  get isEmpty(): boolean {
    return this.rows.length === 0;
  }

  get hasManager(): boolean {
    return this.rows.some((row) => row.scopes.includes('manage') && whyNot(row) === null);
  }

  async list(): Promise<KeySummary[]> {
    await this.look();
    return this.rows.map(summaryOf);
  }

  /** @throws ProblemError `key-name-taken` */
  async make({ name, scopes, days, limits = {} }: KeyRequest): Promise<NewKey> {
    const credential = newCredential('key');
    const salt = newSalt();
    const hash = await slowHash(credential.secret, salt);
    const madeAt = new Date();
    const expiresAt = days === undefined ? null : new Date(madeAt.getTime() + days * DAY_MS);
    const row: KeyRow = {
      id: credential.id,
      name,
      scopes,
      hash,
      salt,
      limits,
      madeAt,
      expiresAt,
      revokedAt: null,
      letFinish: false,
      usedAt: null,
    };
    if (!(await this.store.addKey(row)))
      throw new ProblemError('key-name-taken', `a key named "${name}" is in use`);
    await this.look();
    return { ...summaryOf(row), key: credentialText(credential) };
  }

  /** @param letFinish talks that go on may go on to their end @throws ProblemError `key-not-there` */
  async revoke(name: string, letFinish: boolean): Promise<void> {
    if (!(await this.store.revokeKey(name, letFinish)))
      throw new ProblemError('key-not-there', `there is no key "${name}" that is in use`);
    await this.look();
  }

  /** May what was begun with this key go on? */
  letsGoOn(id: string): boolean {
    const row = this.rows.find((one) => one.id === id);
    return row !== undefined && (whyNot(row) === null || row.letFinish);
  }

  /** The key with this id, if it still holds. */
  holding(id: string): KeyRow | null {
    const row = this.rows.find((one) => one.id === id);
    return row && whyNot(row) === null ? row : null;
  }

  /** @throws ProblemError `key-unknown` for one that was never made, or holds no more */
  async of({ id, secret }: Credential): Promise<KeyRow> {
    const row = this.rows.find((one) => one.id === id);
    if (!row || !(await this.proves(row, secret)))
      throw new ProblemError('key-unknown', 'there is no such key');
    const why = whyNot(row);
    if (why !== null) throw new ProblemError('key-unknown', `the key "${row.name}" ${why}`);
    this.noteUse(id);
    return row;
  }

  private async proves(row: KeyRow, secret: string): Promise<boolean> {
    const quick = quickHash(secret);
    const known = this.proved.get(row.id);
    if (known && sameHash(known, quick)) return true;
    if (this.hashing.pendingCount >= MOST_HASHES_WAITING)
      throw new ProblemError('requests-too-many', 'too many keys are looked at just now');
    const hash = await this.hashing(() => slowHash(secret, row.salt));
    if (!sameHash(hash, row.hash)) return false;
    if (this.proved.size >= MOST_PROVED) this.proved.clear();
    this.proved.set(row.id, quick);
    return true;
  }

  private noteUse(id: string): void {
    const now = performance.now();
    if (now - (this.notedAt.get(id) ?? -Infinity) < USE_NOTED_EVERY_MS) return;
    this.notedAt.set(id, now);
    this.store.keyWasUsed(id).catch(() => this.notedAt.delete(id));
  }

  /**
   * @param looked is called whenever the keys were looked at, and some time passed: what hangs on one may
   * have to end
   */
  onLook(looked: () => void): void {
    this.listeners.add(looked);
  }

  private async look(): Promise<void> {
    this.rows = await this.store.keys();
    for (const looked of this.listeners) looked();
  }

  private async lookAgain(): Promise<void> {
    try {
      await this.look();
    } catch (error) {
      this.log.warn({ why: causeOf(error) }, 'the keys cannot be read now; those that were read last hold');
    }
  }
}

/** Why it does not hold any more; null for one that does. */
function whyNot({ expiresAt, revokedAt }: KeyRow): string | null {
  if (revokedAt !== null) return `was revoked on ${revokedAt.toISOString()}`;
  if (expiresAt !== null && expiresAt <= new Date()) return `expired on ${expiresAt.toISOString()}`;
  return null;
}

function summaryOf({ name, scopes, limits, ...row }: KeyRow): KeySummary {
  return {
    name,
    scopes,
    limits,
    madeAt: row.madeAt.toISOString(),
    expiresAt: row.expiresAt?.toISOString() ?? null,
    revokedAt: row.revokedAt?.toISOString() ?? null,
    usedAt: row.usedAt?.toISOString() ?? null,
  };
}
