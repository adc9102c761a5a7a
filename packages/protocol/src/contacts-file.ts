/** `contacts.yaml` of a project: whom messages may go to, by the names that callers say. */
import { Type, type Static } from '@sinclair/typebox';
import { closed, Name } from './names.js';

const Said = Type.String({ minLength: 1, maxLength: 100 });
const also = Type.Optional(
  Type.Array(Said, { maxItems: 50, description: 'other ways to say it: "the warden of Rowan Hut"' }),
);

const Person = Type.Object(
  {
    /** As it is said. */
    name: Said,
    also,
    /** How words of the name sound, in ARPAbet, for ears whose dictionary lacks them. */
    sounds: Type.Optional(
      Type.Record(Said, Type.String({ pattern: '^[A-Z]{1,2}[0-2]?( [A-Z]{1,2}[0-2]?)*$' })),
    ),
    /** Where messages reach them, by the ways that project.yaml names; the first is tried first. */
    ways: Type.Optional(Type.Record(Name, Type.String({ minLength: 1, maxLength: 300 }))),
  },
  closed,
);

export const ContactsFile = Type.Object(
  {
    contacts: Type.Optional(Type.Record(Name, Person, { additionalProperties: false })),
    /** Several contacts by one name: "all wardens". */
    lists: Type.Optional(
      Type.Record(
        Name,
        Type.Object({ name: Said, also, of: Type.Array(Name, { minItems: 1, maxItems: 1_000 }) }, closed),
        { additionalProperties: false },
      ),
    ),
    /** vCard files (RFC 6350) in the project: their people, and their groups as lists. */
    cards: Type.Optional(
      Type.Array(Type.String({ pattern: '^(?!.*\\.\\.)[A-Za-z0-9][A-Za-z0-9._/-]*\\.vcf$' }), {
        maxItems: 50,
      }),
    ),
  },
  closed,
);

export type ContactsFile = Static<typeof ContactsFile>;

/** How messages go out, in project.yaml. */
export const MessageWay = Type.Union([
  Type.Object(
    {
      /** `smtp://host:port`, or `smtps://` */
      smtp: Type.String({ pattern: '^smtps?://[^\\s/]+$' }),
      /** The sender's address. */
      from: Type.String({ minLength: 3, maxLength: 300 }),
      user: Type.Optional(Type.String({ minLength: 1, maxLength: 300 })),
      /** The environment variable with the password. */
      secret: Type.Optional(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' })),
    },
    closed,
  ),
  Type.Object(
    {
      /** They are rung, and it is said to them (docs/telephone.md). */
      phone: Type.Literal(true),
    },
    closed,
  ),
  Type.Object(
    {
      /** A POST of `{ id, to, name, from, subject, text }`, with the id as `idempotency-key`. */
      webhook: Type.String({ pattern: '^(https?://|standin:[a-z])' }),
      headers: Type.Optional(Type.Record(Type.String(), Type.String())),
      /** The environment variable with the key; `{secret}` in a header stands for it. */
      secret: Type.Optional(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' })),
    },
    closed,
  ),
]);
export type MessageWay = Static<typeof MessageWay>;
