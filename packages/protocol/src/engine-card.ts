/** Engine cards, `engines/*.yaml`: what an engine is, where it runs, what it costs, and how one talks to it (docs/engine-cards.md). */
import { Type, type Static, type TProperties } from '@sinclair/typebox';
import { closed, Name, Sentence } from './names.js';

const ms = (description: string) => Type.Integer({ minimum: 10, maximum: 600_000, description });
const price = (description: string) =>
  Type.Optional(Type.Number({ minimum: 0, maximum: 1_000_000, description }));
/** RFC 6901. */
export const JSON_POINTER = '^(/([^~/]|~[01])*)*$';
const Pointer = Type.String({
  pattern: JSON_POINTER,
  description: 'a JSON Pointer (RFC 6901), such as /result/text',
});
const Pointers = Type.Union([Pointer, Type.Array(Pointer, { minItems: 1, maxItems: 8 })], {
  description: 'a JSON Pointer; of several, the first that is there',
});
/** JSON in which `{name}` stands for a value; `{each: messages, item: …}` for a list. */
const Template = Type.Unknown();

export const Prices = Type.Object(
  {
    currency: Type.String({ pattern: '^[A-Z]{3}$', description: 'ISO 4217' }),
    audioMinute: price('for a minute of the caller’s sound'),
    millionCharacters: price('for a million characters spoken'),
    millionTokensIn: price('for a million tokens read'),
    millionTokensOut: price('for a million tokens written'),
    request: price('for a request'),
    hour: price('rent for an hour in which it runs'),
    month: Type.Optional(
      Type.Object(
        {
          price: Type.Number({ minimum: 0 }),
          /** So much is in it; what is above costs as said above. */
          audioMinutes: Type.Optional(Type.Number({ minimum: 0 })),
          characters: Type.Optional(Type.Number({ minimum: 0 })),
          tokens: Type.Optional(Type.Number({ minimum: 0 })),
          requests: Type.Optional(Type.Number({ minimum: 0 })),
        },
        closed,
      ),
    ),
  },
  closed,
);

const common = {
  title: Sentence,
  where: Type.Union([Type.Literal('on-machine'), Type.Literal('cloud')]),
  /** Where a cloud is, in the words of whoever runs it. */
  region: Type.Optional(Type.String({ maxLength: 80 })),
  languages: Type.Array(Type.String({ minLength: 2 }), { minItems: 1, description: 'BCP 47' }),
  prices: Type.Optional(Prices),
  limits: Type.Optional(
    Type.Object({ atOnce: Type.Optional(Type.Integer({ minimum: 1, maximum: 10_000 })) }, closed),
  ),
  /** The longest that is waited; from the engine's own recent times a shorter wait is learned. */
  deadlines: Type.Optional(
    Type.Object(
      {
        firstMs: Type.Optional(ms('to the first answer')),
        betweenMs: Type.Optional(ms('between its pieces')),
      },
      closed,
    ),
  ),
  /** When it is late, a second engine may be asked beside it; the first answer counts. */
  seconded: Type.Optional(Type.Boolean()),
};
const stt = { ...common, role: Type.Literal('stt') };
const llm = { ...common, role: Type.Literal('llm') };
const tts = { ...common, role: Type.Literal('tts') };
const Hosts = Type.Optional(Type.Integer({ minimum: 1, maximum: 16 }));

const builtIn = [
  Type.Object(
    { ...stt, wire: Type.Literal('pocketsphinx'), hosts: Hosts, model: Type.Optional(Type.String()) },
    closed,
  ),
  Type.Object(
    { ...tts, wire: Type.Literal('flite'), hosts: Hosts, voices: Type.Array(Name, { minItems: 1 }) },
    closed,
  ),
  Type.Object(
    {
      ...llm,
      wire: Type.Literal('answers'),
      /** `answers/NAME.yaml` of the project. */
      answers: Name,
      /** The engine that is asked where the file says "pass". */
      passTo: Type.Optional(Name),
      /** Chooses among several replies. */
      seed: Type.Optional(Type.Integer({ minimum: 0, maximum: 1_000_000 })),
    },
    closed,
  ),
  Type.Object({ ...llm, wire: Type.Literal('echo') }, closed),
] as const;

const Encoding = Type.Union([
  Type.Literal('pcm16'),
  Type.Literal('mulaw'),
  Type.Literal('alaw'),
  Type.Literal('wav'),
]);
const SoundFormat = {
  encoding: Type.Optional(Encoding),
  rateHz: Type.Optional(Type.Integer({ minimum: 8_000, maximum: 48_000 })),
};

export const SendPart = Type.Object(
  {
    method: Type.Optional(Type.Union([Type.Literal('POST'), Type.Literal('PUT'), Type.Literal('GET')])),
    /** Sent first: one body of HTTP or of a process; messages of a socket. */
    open: Type.Optional(Type.Array(Template, { maxItems: 8 })),
    /** How the caller's sound goes: as it is, or in a message around {sound}, which is base64. */
    sound: Type.Optional(Template),
    ...SoundFormat,
    finish: Type.Optional(Type.Array(Template, { maxItems: 8 })),
    cancel: Type.Optional(Type.Array(Template, { maxItems: 8 })),
    keepAlive: Type.Optional(Type.Object({ everyMs: ms('between two'), message: Template }, closed)),
    /** What this engine calls the sides; `persona` makes the persona the first message. */
    roles: Type.Optional(
      Type.Object(
        {
          caller: Type.Optional(Type.String()),
          assistant: Type.Optional(Type.String()),
          persona: Type.Optional(Type.String()),
        },
        closed,
      ),
    ),
  },
  closed,
);

const Words = Type.Object(
  {
    list: Pointer,
    /** Within each of the list. */
    word: Pointer,
    from: Type.Optional(Pointer),
    to: Pointer,
    confidence: Type.Optional(Pointer),
    unit: Type.Optional(Type.Union([Type.Literal('s'), Type.Literal('ms')])),
  },
  closed,
);
const HeardText = Type.Object(
  { text: Pointers, words: Type.Optional(Words), alternatives: Type.Optional(Pointer) },
  closed,
);

export const ReadRule = Type.Object(
  {
    /** All of these values must be where the pointers say. */
    when: Type.Optional(Type.Record(Type.String(), Type.Unknown())),
    partial: Type.Optional(HeardText),
    final: Type.Optional(HeardText),
    piece: Type.Optional(Pointers),
    usage: Type.Optional(Type.Object({ in: Type.Optional(Pointer), out: Type.Optional(Pointer) }, closed)),
    sound: Type.Optional(Pointer),
    words: Type.Optional(Words),
    error: Type.Optional(Type.Object({ message: Pointers, code: Type.Optional(Pointer) }, closed)),
    /** The answer is complete. */
    end: Type.Optional(Type.Literal(true)),
    /** The engine wants the talk to end with this answer, or to be handed over to a person. */
    closes: Type.Optional(Type.Union([Type.Literal('end'), Type.Literal('hand over')])),
  },
  closed,
);

export const ReceivePart = Type.Object(
  {
    /** `messages` of a socket; `lines` of JSON; server-sent `events`; one `whole` JSON; `sound` as it is. */
    form: Type.Optional(
      Type.Union([
        Type.Literal('messages'),
        Type.Literal('lines'),
        Type.Literal('events'),
        Type.Literal('whole'),
        Type.Literal('sound'),
      ]),
    ),
    /** A message that is not JSON and says that the answer is complete. */
    endMark: Type.Optional(Type.String({ minLength: 1 })),
    ...SoundFormat,
    read: Type.Optional(Type.Array(ReadRule, { minItems: 1, maxItems: 32 })),
  },
  closed,
);

const carded = {
  /** The name of the environment variable that holds the key; {secret} stands for its value. */
  secret: Type.Optional(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' })),
  headers: Type.Optional(Type.Record(Type.String(), Type.String())),
  /** Free values for the templates; an assistant's lineup may give others. */
  settings: Type.Optional(
    Type.Record(Type.String(), Type.Union([Type.String(), Type.Number(), Type.Boolean()])),
  ),
  send: SendPart,
  receive: ReceivePart,
};
const Address = Type.String({ pattern: '^(https?://|wss?://|standin:)' });
const Command = Type.Array(Type.String({ minLength: 1 }), { minItems: 1 });
const remote = {
  ...carded,
  address: Address,
  /** Asked with GET to see whether it is there, from the address. */
  health: Type.Optional(Type.String({ pattern: '^/' })),
  /** A local server that is started, watched, started again and stopped with the service. */
  server: Type.Optional(
    Type.Object(
      {
        start: Command,
        /** It is ready when `health` answers; so long is waited. */
        readyMs: Type.Optional(ms('until it is ready')),
      },
      closed,
    ),
  ),
};
/** A voice of ours and what the engine calls it. */
const CardVoices = Type.Record(Type.String({ pattern: '^[a-z][a-z0-9-]{0,62}$' }), Type.String(), {
  minProperties: 1,
});
/** What a role's card is on each of the wires. */
const wired = <R extends TProperties>(role: R) =>
  [
    Type.Object({ ...role, ...remote, wire: Type.Literal('socket') }, closed),
    Type.Object({ ...role, ...remote, wire: Type.Literal('http') }, closed),
    Type.Object({ ...role, ...carded, wire: Type.Literal('process'), command: Command }, closed),
  ] as const;

export const EngineCard = Type.Union([
  ...builtIn,
  ...wired(stt),
  ...wired(llm),
  ...wired({ ...tts, voices: CardVoices }),
]);

export type Prices = Static<typeof Prices>;
export type SendPart = Static<typeof SendPart>;
export type ReceivePart = Static<typeof ReceivePart>;
export type ReadRule = Static<typeof ReadRule>;
export type EngineCard = Static<typeof EngineCard>;
/** A card whose wire is described in it. */
export type WiredCard = Extract<EngineCard, { wire: 'socket' | 'http' | 'process' }>;
