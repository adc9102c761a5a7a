/** People who take over from the assistant: where they are found, and who waits for one. */
import { Type, type Static } from '@sinclair/typebox';
import { closed } from './names.js';
import { SipAddress } from './phone-file.js';

/** `handOver:` of project.yaml. */
export const HandOverFile = Type.Object(
  {
    /**
     * `console`: the console rings, and whoever takes the call talks there. A SIP address: that telephone is
     * rung; `{slot}` in it is what the caller has said for it, in lower case with hyphens.
     */
    to: Type.Union([Type.Literal('console'), SipAddress]),
    /**
     * The telephone is told who wants what, and takes the call with 1; else the caller's own telephone is
     * asked to ring it (REFER).
     */
    announce: Type.Optional(Type.Boolean()),
    /** Somebody is waited for so long, in s; 45 by default. */
    waitS: Type.Optional(Type.Integer({ minimum: 5, maximum: 600 })),
    /** What is known of the caller is posted here. */
    webhook: Type.Optional(Type.String({ pattern: '^(https?://|standin:[a-z])' })),
    headers: Type.Optional(Type.Record(Type.String(), Type.String())),
    /** The environment variable with the key; `{secret}` in a header stands for it. */
    secret: Type.Optional(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' })),
  },
  closed,
);
export type HandOverFile = Static<typeof HandOverFile>;

/** A caller who wants a person, as the console shows it and the webhook is told. */
export const WaitingCaller = Type.Object(
  {
    conversation: Type.String(),
    assistant: Type.String(),
    line: Type.String(),
    /** Who it is, as far as that is known: the number of a telephone, a name. */
    caller: Type.Object({ id: Type.String(), name: Type.String() }, closed),
    /** What the caller has said for it, by the names of slots. */
    known: Type.Record(Type.String(), Type.String()),
    since: Type.String(),
  },
  closed,
);
export type WaitingCaller = Static<typeof WaitingCaller>;

export const WaitingCallers = Type.Object({ waiting: Type.Array(WaitingCaller) }, closed);
