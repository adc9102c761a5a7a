/** The telephone over HTTP: its registrations and calls, ringing somebody, hanging up. */
import { Type, type Static } from '@sinclair/typebox';
import { closed, Name, Sentence } from './names.js';

const Count = Type.Integer({ minimum: 0 });

export const PhoneCallView = Type.Object(
  {
    id: Type.String(),
    direction: Type.Union([Type.Literal('in'), Type.Literal('out')]),
    from: Type.String(),
    to: Type.String(),
    assistant: Type.String(),
    /** Of the talk; null before it began. */
    conversation: Type.Union([Type.String(), Type.Null()]),
    /** How it went, in order: ringing, connected, on hold, taken up, moved, ended; and by whom and why. */
    stages: Type.Array(
      Type.Object(
        {
          stage: Type.Union(
            (['ringing', 'connected', 'on hold', 'taken up', 'moved', 'ended'] as const).map((one) =>
              Type.Literal(one),
            ),
          ),
          at: Type.String(),
          detail: Type.String(),
        },
        closed,
      ),
    ),
    /** Packets and their losses; null before there was sound. */
    sound: Type.Union([
      Type.Object(
        {
          codec: Type.Union([Type.Literal('G722'), Type.Literal('PCMU'), Type.Literal('PCMA')]),
          sent: Count,
          received: Count,
          late: Count,
          missing: Count,
          /** So much is held against jitter, in ms. */
          holdMs: Type.Number({ minimum: 0 }),
          jitterMs: Type.Number({ minimum: 0 }),
          /** What the other side says it lost, of 1. */
          lostThere: Type.Number({ minimum: 0, maximum: 1 }),
        },
        closed,
      ),
      Type.Null(),
    ]),
  },
  closed,
);
export type PhoneCallView = Static<typeof PhoneCallView>;

export const RegistrationView = Type.Object(
  {
    at: Type.String(),
    user: Type.String(),
    state: Type.Union([Type.Literal('registering'), Type.Literal('registered'), Type.Literal('refused')]),
    detail: Type.String(),
  },
  closed,
);
export type RegistrationView = Static<typeof RegistrationView>;

export const PhoneView = Type.Object(
  {
    /** Where it can be rung; null where it is not set up. */
    address: Type.Union([Type.String(), Type.Null()]),
    /** The same over TLS; null without a certificate. */
    tlsAddress: Type.Union([Type.String(), Type.Null()]),
    /** Why it cannot be used, though it is set up. */
    trouble: Type.Union([Type.String(), Type.Null()]),
    /** What project.yaml says of it was changed: that is in use when the service is started again. */
    changed: Type.Boolean(),
    numbers: Type.Record(Type.String(), Type.String()),
    registrations: Type.Array(RegistrationView),
    /** Addresses from which somebody rang who may not. */
    strangers: Type.Array(Type.String()),
    /** Those that go on, and the last that are over; the newest first. */
    calls: Type.Array(PhoneCallView),
  },
  closed,
);
export type PhoneView = Static<typeof PhoneView>;

/** Rings somebody. */
export const NewCall = Type.Object(
  {
    /** A SIP address, or a number of the first registration's provider. */
    to: Type.String({ minLength: 1, maxLength: 200 }),
    assistant: Type.Optional(Name),
    /** Said first, after who it is: why it calls, or the message itself. */
    say: Sentence,
    /** Keys that are pressed when it is answered, to get through a menu. */
    keys: Type.Optional(Type.String({ pattern: '^[0-9*#A-D]{1,40}$' })),
  },
  closed,
);
export type NewCall = Static<typeof NewCall>;
