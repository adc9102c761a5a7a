/**
 * Who may: everything that comes over HTTP or a socket is asked here who it is. What nobody answers for may
 * do nothing.
 */
import type { IncomingMessage } from 'node:http';
import { parseCookie } from 'cookie';
import { SCOPES, type Caller, type NewToken, type TokenRequest } from '@verbalon/protocol';
import type { AccessStore, KeyRow, PassRow } from '../database/access-store.js';
import { ProblemError } from '../problems/problems.js';
import {
  credentialText,
  newCredential,
  quickHash,
  readCredential,
  sameHash,
  type Credential,
  type CredentialKind,
} from './credential.js';
import { foreignOrigin, isOwnHost, isPartOfForeignPage } from './foreignness.js';
import type { KeyRing } from './key-ring.js';
import { Peers, type Peer } from './peer.js';
import { RequestRate } from './request-rate.js';
import { NOBODY, type Visitor } from './visitor.js';

export const SESSION_COOKIE = 'verbalon-session';
const SESSION_S = 12 * 3_600;
const USUAL_TOKEN_S = 300;
/** What a page gets by itself, without a key. */
const PUBLIC_TOKEN_S = 60;

export interface DoorOptions {
  keys: KeyRing;
  store: AccessStore;
  /** It can be reached from elsewhere: then it is never open. */
  exposed: boolean;
  /** Host names, besides those of this machine. */
  hosts: readonly string[];
  proxies: readonly string[];
  /** Assistants that name this origin. */
  openTo: (origin: string) => string[];
  /** So many requests a second may come from one address; undefined where the project says nothing of it. */
  requestsASecond: () => number | undefined;
}

/** Of a request that was let in: where it comes from. */
export interface Entry {
  peer: Peer;
  /**
   * Of the page of somebody else's that asks; such a page has no rights of its own, and may do what pages
   * may.
   */
  origin: string | null;
}

export class Door {
  private readonly peers: Peers;
  readonly rate: RequestRate;

  constructor(private readonly options: DoorOptions) {
    this.peers = new Peers(options.proxies);
    this.rate = new RequestRate({ most: options.requestsASecond, isOpen: () => this.isOpen });
  }

  /** It can be reached from elsewhere. */
  get isExposed(): boolean {
    return this.options.exposed;
  }

  get keys(): KeyRing {
    return this.options.keys;
  }

  /** A proxy that we were told of: its connections are those of many. */
  isProxy(address: string): boolean {
    return this.peers.isProxy(address);
  }

  /** @throws ProblemError `proxy-unknown` */
  peer(request: IncomingMessage): Peer {
    return this.peers.of(request);
  }

  /**
   * @throws ProblemError `host-foreign` for another host, and for a page of an origin that nobody named;
   * `proxy-unknown`
   */
  async enter(request: IncomingMessage): Promise<Entry> {
    const peer = this.peer(request);
    if (!isOwnHost(request, peer, this.options.hosts))
      throw new ProblemError('host-foreign', `Host is "${peer.host}"`);
    const origin = foreignOrigin(request, peer);
    if (origin === null && isPartOfForeignPage(request))
      throw new ProblemError('host-foreign', 'a page from elsewhere loads it as a part of itself');
    if (origin !== null && !(await this.knows(origin)))
      throw new ProblemError('origin-foreign', `Origin is "${origin}", and the service is at "${peer.host}"`);
    return { peer, origin };
  }

  /** Does an assistant name this origin, or was a token given out for it? */
  private async knows(origin: string): Promise<boolean> {
    return this.options.openTo(origin).length > 0 || (await this.options.store.hasPassFor(origin));
  }

  /** No key was ever made, and nobody reaches it from elsewhere. */
  get isOpen(): boolean {
    return !this.options.exposed && this.keys.isEmpty;
  }

  /**
   * Who asks. Somebody who shows nothing is told from somebody who shows something wrong. @throws
   * ProblemError `key-unknown`
   */
  async visitor(request: IncomingMessage, { peer, origin }: Entry): Promise<Visitor> {
    const { address } = peer;
    const nobody = { ...NOBODY, address };
    // A page of somebody else's has neither what this machine has, nor what the console's cookie has.
    if (origin !== null) return nobody;
    const { authorization } = request.headers;
    const shown = authorization?.match(/^Bearer +(\S+)$/i)?.[1];
    if (authorization !== undefined && shown === undefined)
      throw new ProblemError('key-unknown', 'Authorization is not "Bearer KEY"');
    if (shown !== undefined) return withKey(await this.keys.of(read(shown, 'key')), address);
    const cookie = sessionIn(request);
    if (cookie) {
      const { key } = await this.passOf(cookie, 'visit');
      return this.gotWith(key!, address);
    }
    return this.isOpen ? { ...nobody, who: 'anyone', scopes: SCOPES } : nobody;
  }

  /** Whoever has the key with which something was got. @throws ProblemError `key-unknown` */
  private gotWith(key: string, address: string): Visitor {
    const row = this.keys.holding(key);
    if (!row) throw new ProblemError('key-unknown', 'the key with which it was got holds no more');
    return withKey(row, address);
  }

  /** @throws ProblemError `key-unknown` */
  private async passOf(text: string, kind: CredentialKind): Promise<PassRow> {
    const { id, secret } = read(text, kind);
    const row = await this.options.store.pass(id);
    if (row?.kind !== kind || !sameHash(row.hash, quickHash(secret)))
      throw new ProblemError('key-unknown', NAMES[kind].unknown);
    if (row.until <= new Date()) throw new ProblemError('key-unknown', NAMES[kind].over);
    return row;
  }

  /**
   * Who arrives with a page token. @throws ProblemError `key-unknown`, `origin-foreign` for a page of another
   * origin
   */
  async withToken(text: string, { peer, origin }: Entry): Promise<Visitor> {
    const { id, key, assistant, origins, caller } = await this.passOf(text, 'page');
    if (origin === null ? origins.length > 0 : !origins.includes(origin))
      throw new ProblemError(
        'origin-foreign',
        `the token is for ${origins.length === 0 ? 'programs' : `pages of ${origins.join(', ')}`}, and this comes from ${origin ?? 'no page'}`,
      );
    const pass = { id, assistant: assistant!, caller };
    if (key !== null) {
      const visitor = this.gotWith(key, peer.address);
      return { ...visitor, who: `page of ${visitor.who}`, scopes: ['talk'], pass };
    }
    return {
      who: `page of ${origins.join(', ')}`,
      key: null,
      scopes: ['talk'],
      address: peer.address,
      limits: {},
      pass,
    };
  }

  /** One of the token's talks begins. @throws ProblemError `token-spent` */
  async spend({ id }: NonNullable<Visitor['pass']>): Promise<void> {
    if (!(await this.options.store.spendPass(id)))
      throw new ProblemError('token-spent', 'all the talks that it was for have begun');
  }

  /**
   * By somebody with a key; or by a page whose origin the assistant names, for itself and one talk. @throws
   * ProblemError `origin-foreign`
   */
  async makeToken(
    visitor: Visitor,
    { origin }: Entry,
    assistant: string,
    wanted: TokenRequest,
  ): Promise<NewToken> {
    if (origin === null) {
      const { origins = [], seconds = USUAL_TOKEN_S, talks = 1, caller = null } = wanted;
      return this.give('page', seconds, { key: visitor.key, assistant, origins, caller, talks });
    }
    if (!this.options.openTo(origin).includes(assistant))
      throw new ProblemError(
        'origin-foreign',
        `the assistant "${assistant}" does not name ${origin} in its origins`,
      );
    return this.give('page', PUBLIC_TOKEN_S, {
      key: null,
      assistant,
      origins: [origin],
      caller: null,
      talks: 1,
    });
  }

  /**
   * The console's session. @returns what its cookie is to say, and for how long, in seconds @throws
   * ProblemError `key-unknown`
   */
  async signIn(key: string, address: string): Promise<{ visitor: Visitor; cookie: string; seconds: number }> {
    const visitor = withKey(await this.keys.of(read(key, 'key')), address);
    const { token } = await this.give('visit', SESSION_S, {
      key: visitor.key,
      assistant: '',
      origins: [],
      caller: null,
      talks: 0,
    });
    return { visitor, cookie: token, seconds: SESSION_S };
  }

  async signOut(request: IncomingMessage): Promise<void> {
    const session = readCredential(sessionIn(request) ?? '');
    if (session) await this.options.store.removePass(session.id);
  }

  private async give(
    kind: 'page' | 'visit',
    seconds: number,
    what: { key: string | null; assistant: string; origins: string[]; caller: Caller | null; talks: number },
  ): Promise<NewToken> {
    const credential = newCredential(kind);
    const until = new Date(Date.now() + seconds * 1_000);
    await this.options.store.addPass({
      id: credential.id,
      kind,
      hash: quickHash(credential.secret),
      until,
      ...what,
    });
    const { assistant, origins, talks } = what;
    return { token: credentialText(credential), assistant, origins, talks, expiresAt: until.toISOString() };
  }
}

/** Somebody who has this key. */
function withKey({ name, id, scopes, limits }: KeyRow, address: string): Visitor {
  return { who: name, key: id, scopes, address, limits };
}

const sessionIn = ({ headers }: IncomingMessage) => parseCookie(headers.cookie ?? '')[SESSION_COOKIE];

const NAMES: Record<CredentialKind, { is: string; unknown: string; over: string }> = {
  key: { is: 'a key', unknown: 'there is no such key', over: 'the key holds no more' },
  page: { is: 'a page token', unknown: 'there is no such page token', over: 'the page token has expired' },
  visit: { is: 'a session', unknown: 'there is no such session', over: 'the session is over: sign in again' },
};

/** @throws ProblemError `key-unknown` for what is no credential of this kind */
function read(text: string, kind: CredentialKind): Credential {
  const credential = readCredential(text);
  if (credential?.kind === kind) return credential;
  const what = credential ? NAMES[credential.kind].is : 'something else';
  throw new ProblemError('key-unknown', `${NAMES[kind].is} is wanted here, and this is ${what}`);
}
