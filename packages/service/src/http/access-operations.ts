/** Who may: keys, page tokens, the console's session, and the record of what was done. */
import { Type } from '@sinclair/typebox';
import { stringifySetCookie } from 'cookie';
import {
  AuditEntry,
  AuditQuery,
  RevokeQuery,
  KeyRequest,
  KeySummary,
  NewKey,
  NewToken,
  SignInRequest,
  TokenRequest,
  Visit,
} from '@verbalon/protocol';
import { SESSION_COOKIE } from '../access/door.js';
import { NOBODY, type Visitor } from '../access/visitor.js';
import { ProblemError } from '../problems/problems.js';
import { EXAMPLE_IDS } from './example-ids.js';
import { fromStore } from './conversation-operations.js';
import type { HttpHost } from './host.js';
import { bodyOf, entryOf, queryOf, visitorOf, type Operation } from './operation.js';

const USUAL_ENTRIES = 100;

export function accessOperations(host: HttpHost): Operation[] {
  return [...sessionOperations(host), ...keyOperations(host)];
}

function sessionOperations({ door, edit, project }: HttpHost): Operation[] {
  const visit = ({ who, scopes }: Visitor): Visit => ({
    who,
    scopes: [...scopes],
    open: door.isOpen,
    edit,
  });
  const cookie = (value: string, seconds: number, secure: boolean) =>
    stringifySetCookie({
      name: SESSION_COOKIE,
      value,
      httpOnly: true,
      sameSite: 'strict',
      path: '/',
      maxAge: seconds,
      secure,
    });
  return [
    {
      method: 'get',
      path: '/v1/session',
      id: 'whoAmI',
      summary: 'Who asks, and what they may',
      scope: 'anyone',
      answers: [{ type: 'application/json', schema: Visit }],
      example: {},
      handle: fromStore(async (request, response) => {
        const entry = entryOf(response);
        const visitor = await door.visitor(request, entry).catch((error: unknown) => {
          // A session that is over is nobody's.
          if (error instanceof ProblemError && error.code === 'key-unknown') return NOBODY;
          throw error;
        });
        response.json(visit(visitor));
      }),
    },
    {
      method: 'post',
      path: '/v1/session',
      id: 'signIn',
      summary: 'A key for a cookie, which the console’s pages send: only over HTTP, and only to this origin',
      scope: 'anyone',
      noted: true,
      body: SignInRequest,
      answers: [{ type: 'application/json', schema: Visit }],
      example: { body: { key: EXAMPLE_IDS.key } },
      handle: fromStore(async (request, response) => {
        const { key } = bodyOf(request, SignInRequest);
        const { peer } = entryOf(response);
        const { visitor, cookie: value, seconds } = await door.signIn(key, peer.address);
        response.locals.visitor = visitor;
        response.setHeader('set-cookie', cookie(value, seconds, peer.secure));
        response.json(visit(visitor));
      }),
    },
    {
      method: 'delete',
      path: '/v1/session',
      id: 'signOut',
      summary: 'The session is over',
      scope: 'anyone',
      answers: [],
      example: {},
      handle: fromStore(async (request, response) => {
        await door.signOut(request);
        response.setHeader('set-cookie', cookie('', 0, entryOf(response).peer.secure));
        response.status(204).end();
      }),
    },
    {
      method: 'post',
      path: '/v1/tokens',
      id: 'makeToken',
      summary:
        'A short-lived token with which a page, or a program, holds talks with one assistant. A page whose origin the assistant names gets one without a key',
      scope: 'talk',
      forPages: true,
      body: TokenRequest,
      answers: [{ type: 'application/json', schema: NewToken }],
      example: { body: { assistant: 'tansy', origins: ['https://huts.example'], talks: 1 } },
      handle: fromStore(async (request, response) => {
        const wanted = bodyOf(request, TokenRequest);
        const { name } = project.assistant(wanted.assistant ?? project.defaultAssistant);
        response.json(await door.makeToken(visitorOf(response), entryOf(response), name, wanted));
      }),
    },
  ];
}

function keyOperations({ door, access }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/keys',
      id: 'listKeys',
      summary: 'Keys, the newest first, with those that hold no more; never what opens the door',
      scope: 'manage',
      answers: [{ type: 'application/json', schema: Type.Array(KeySummary) }],
      example: {},
      handle: fromStore(async (_request, response) => response.json(await door.keys.list())),
    },
    {
      method: 'post',
      path: '/v1/keys',
      id: 'makeKey',
      summary: 'A new key: it is told this once. From the first key on the service asks for one',
      scope: 'manage',
      body: KeyRequest,
      answers: [{ type: 'application/json', schema: NewKey }],
      example: { body: { name: 'reception', scopes: ['talk', 'read', 'manage'], days: 90 } },
      handle: fromStore(async (request, response) => {
        const wanted = bodyOf(request, KeyRequest);
        response.locals.about = `${wanted.name}: ${wanted.scopes.join(', ')}`;
        // Whoever made a first key for something else could never make another.
        if (!wanted.scopes.includes('manage') && !door.keys.hasManager)
          throw new ProblemError('keys-needed', `"${wanted.name}" is for ${wanted.scopes.join(', ')}`);
        response.json(await door.keys.make(wanted));
      }),
    },
    {
      method: 'delete',
      path: '/v1/keys/{name}',
      id: 'revokeKey',
      summary:
        'The key, its page tokens and its sessions open nothing any more. Within 2 s its talks end, its links close; with letFinish, talks that go on may go on to their end',
      scope: 'manage',
      query: RevokeQuery,
      answers: [],
      example: { path: { name: 'reception' }, query: { letFinish: 'yes' } },
      handle: fromStore(async (request, response) => {
        const { letFinish = 'no' } = queryOf(request, RevokeQuery);
        await door.keys.revoke(String(request.params.name), letFinish === 'yes');
        response.status(204).end();
      }),
    },
    {
      method: 'get',
      path: '/v1/audit',
      id: 'listAudit',
      summary:
        'What was changed or refused, by whom, the newest first; refusals of nobody are counted by the minute',
      scope: 'manage',
      query: AuditQuery,
      answers: [{ type: 'application/json', schema: Type.Array(AuditEntry) }],
      example: { query: { limit: 5 } },
      handle: fromStore(async (request, response) => {
        const { limit = USUAL_ENTRIES, before } = queryOf(request, AuditQuery);
        const all = await access.audit(limit, before);
        response.json(
          all.map(({ row, at, who, address, what, about, status }) => ({
            number: row,
            at: at.toISOString(),
            who,
            address,
            what,
            about,
            status,
          })),
        );
      }),
    },
  ];
}
