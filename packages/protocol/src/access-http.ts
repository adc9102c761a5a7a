/** Who may: keys, page tokens, signing in, and the record of what was done with them. */
import { Type, type Static } from '@sinclair/typebox';
import { Caller } from './caller-messages.js';
import { TalkLimits } from './files.js';
import { closed } from './names.js';

const Text = Type.String();
const Moment = Type.Union([Type.String({ description: 'ISO 8601' }), Type.Null()]);

/**
 * `talk`: hold talks and use engines; `read`: see what is kept; `manage`: change things, keys among them.
 * None includes another.
 */
export const SCOPES = ['talk', 'read', 'manage'] as const;
export const Scope = Type.Union(SCOPES.map((scope) => Type.Literal(scope)));
export type Scope = (typeof SCOPES)[number];
const Scopes = Type.Array(Scope, { minItems: 1, uniqueItems: true });
const KeyName = Type.String({ pattern: '^[A-Za-z0-9][A-Za-z0-9 ._-]{0,63}$' });

export const KeyRequest = Type.Object(
  {
    name: KeyName,
    scopes: Scopes,
    /** It ends after so many days; without it, it does not. */
    days: Type.Optional(Type.Integer({ minimum: 1, maximum: 3_650 })),
    limits: Type.Optional(TalkLimits),
  },
  closed,
);

const keySummary = {
  name: Text,
  scopes: Scopes,
  madeAt: Text,
  expiresAt: Moment,
  revokedAt: Moment,
  /** To within a minute. */
  usedAt: Moment,
  limits: TalkLimits,
};
export const KeySummary = Type.Object(keySummary, closed);
/** The key itself is told this once. */
export const NewKey = Type.Object({ ...keySummary, key: Text }, closed);

export const TokenRequest = Type.Object(
  {
    /** By default the project's own. */
    assistant: Type.Optional(Type.String({ minLength: 1, maxLength: 64 })),
    /** Pages of these origins may use it, such as `https://huts.example`; none: programs, and no page. */
    origins: Type.Optional(
      Type.Array(Type.String({ pattern: '^https?://[^/\\s]+$', maxLength: 200 }), { maxItems: 20 }),
    ),
    seconds: Type.Optional(Type.Integer({ minimum: 10, maximum: 86_400 })),
    talks: Type.Optional(Type.Integer({ minimum: 1, maximum: 1_000 })),
    /** Who talks: what a page says of that is not believed, what the token says is. */
    caller: Type.Optional(Caller),
  },
  closed,
);
export const NewToken = Type.Object(
  { token: Text, assistant: Text, origins: Type.Array(Text), talks: Type.Integer(), expiresAt: Text },
  closed,
);

export const SignInRequest = Type.Object({ key: Type.String({ minLength: 1, maxLength: 200 }) }, closed);
/**
 * Who asks, and what they may. `open`: no key was ever made, and everybody on this machine may do everything.
 */
export const Visit = Type.Object(
  {
    who: Text,
    scopes: Type.Array(Scope),
    open: Type.Boolean(),
    /** Files may be written over HTTP. */
    edit: Type.Boolean(),
  },
  closed,
);

export const RevokeQuery = Type.Object(
  { letFinish: Type.Optional(Type.Union([Type.Literal('yes'), Type.Literal('no')])) },
  closed,
);

export const AuditQuery = Type.Object(
  {
    limit: Type.Optional(Type.Integer({ minimum: 1, maximum: 1_000 })),
    /** Only entries before the one with this number: the last one of the page before. */
    before: Type.Optional(Type.Integer({ minimum: 1 })),
  },
  closed,
);
/** Something that was done, or refused: `status` is that of the answer (RFC 9110). */
export const AuditEntry = Type.Object(
  {
    number: Type.Integer(),
    at: Text,
    who: Text,
    address: Text,
    what: Text,
    about: Text,
    status: Type.Integer(),
  },
  closed,
);

export type KeyRequest = Static<typeof KeyRequest>;
export type KeySummary = Static<typeof KeySummary>;
export type NewKey = Static<typeof NewKey>;
export type TokenRequest = Static<typeof TokenRequest>;
export type NewToken = Static<typeof NewToken>;
export type Visit = Static<typeof Visit>;
export type AuditEntry = Static<typeof AuditEntry>;
