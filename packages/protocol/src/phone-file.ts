/** `phone:` of project.yaml: where the telephone is, and what its numbers are for. */
import { Type, type Static } from '@sinclair/typebox';
import { closed, Name } from './names.js';

const Port = Type.Integer({ minimum: 0, maximum: 65_535 });
export const SipAddress = Type.String({
  pattern: '^sip:[^\\s<>]+$',
  maxLength: 200,
  description: 'such as sip:provider.example',
});
const Variable = Type.String({
  pattern: '^[A-Z][A-Z0-9_]*$',
  description: 'the environment variable with the secret',
});

export const PhoneFile = Type.Object(
  {
    /** Of this machine; 127.0.0.1 by default. */
    address: Type.Optional(Type.String({ minLength: 1, maxLength: 64 })),
    /** Of SIP, over UDP and TCP; 5060 by default, 0 for any that is free. */
    port: Type.Optional(Port),
    /** Of SIP over TLS, where `serve` has a certificate; 5061 by default, 0 for any that is free. */
    tlsPort: Type.Optional(Port),
    /**
     * Ports of the calls' sound, two for each call; networks (CIDR) in which callers' sound may be, besides
     * where they ring from.
     */
    sound: Type.Optional(
      Type.Object(
        {
          from: Type.Optional(Port),
          to: Type.Optional(Port),
          networks: Type.Optional(
            Type.Array(Type.String({ minLength: 1, maxLength: 64 }), { maxItems: 200 }),
          ),
        },
        closed,
      ),
    ),
    /**
     * `required`: no call without encrypted sound (SRTP) over encrypted signalling (TLS); else where the
     * other side offers it.
     */
    srtp: Type.Optional(Type.Literal('required')),
    /** Which assistant answers which number; `*` is for all others. */
    numbers: Type.Record(Type.String({ pattern: '^(\\*|[+0-9A-Za-z._-]{1,60})$' }), Name, {
      additionalProperties: false,
      minProperties: 1,
    }),
    /** Addresses and networks (CIDR) from which it may be rung; this machine alone by default. */
    peers: Type.Optional(Type.Array(Type.String({ minLength: 1, maxLength: 64 }), { maxItems: 200 })),
    callsAtOnce: Type.Optional(Type.Integer({ minimum: 1, maximum: 2_000 })),
    /** Numbers at providers. */
    registrations: Type.Optional(
      Type.Array(
        Type.Object(
          {
            at: SipAddress,
            user: Type.String({ minLength: 1, maxLength: 100 }),
            secret: Variable,
            protocol: Type.Optional(
              Type.Union([Type.Literal('udp'), Type.Literal('tcp'), Type.Literal('tls')]),
            ),
          },
          closed,
        ),
        { maxItems: 20 },
      ),
    ),
    /** A call of which neither sound nor a report comes for so long is over, in s; 30 by default. */
    silentS: Type.Optional(Type.Integer({ minimum: 2, maximum: 3_600 })),
  },
  closed,
);
export type PhoneFile = Static<typeof PhoneFile>;
