/**
 * What opens the door: keys, page tokens and the console's sessions are texts of one form, of which only a
 * hash is kept.
 */
import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';

export type CredentialKind = 'key' | 'page' | 'visit';

export interface Credential {
  kind: CredentialKind;
  /** The public half of the credential: the store looks it up by this id. */
  id: string;
  secret: string;
}

const FORM = /^verbalon-(key|page|visit)-([0-9a-f]{16})-([A-Za-z0-9_-]{32})$/;
const ID_BYTES = 8;
const SECRET_BYTES = 24;
const SALT_BYTES = 16;
const HASH_BYTES = 32;
/** Of scrypt (RFC 7914): N, r and p of Node's own; about 40 ms and 16 MB. */
const COST = { N: 16_384, r: 8, p: 1 };
const scrypted = promisify<string, Buffer, number, object, Buffer>(scrypt);

export function newCredential(kind: CredentialKind): Credential {
  return {
    kind,
    id: randomBytes(ID_BYTES).toString('hex'),
    secret: randomBytes(SECRET_BYTES).toString('base64url'),
  };
}

export function credentialText({ kind, id, secret }: Credential): string {
  return `verbalon-${kind}-${id}-${secret}`;
}

/** Null for what was never one. */
export function readCredential(text: string): Credential | null {
  const [, kind, id, secret] = FORM.exec(text) ?? [];
  return kind ? { kind: kind as CredentialKind, id: id!, secret: secret! } : null;
}

/** Slow on purpose: of a key that is kept for years. */
export async function slowHash(secret: string, salt: Buffer): Promise<Buffer> {
  return scrypted(secret, salt, HASH_BYTES, COST);
}

export const newSalt = (): Buffer => randomBytes(SALT_BYTES);

/** Of a secret that is long, random and short-lived. */
export function quickHash(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}

export function sameHash(one: Buffer, other: Buffer): boolean {
  return one.length === other.length && timingSafeEqual(one, other);
}
