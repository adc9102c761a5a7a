/**
 * Engine cards, `engines/*.yaml`: what an engine is, where it runs, what it costs, and how one talks to it
 * (docs/engine-cards.md).
 */
import { Type, type Static, type TProperties } from '@sinclair/typebox';
import { closed, Name, Sentence } from './names.js';

const ms = (description: string) => Type.Integer({ minimum: 10, maximum: 600_000, description });
const price = (description: string) =>
  Type.Optional(Type.Number({ minimum: 0, maximum: 1_000_000, description }));
/** One of these texts. */
const oneOf = <T extends string>(...texts: T[]) =>
  Type.Unsafe<T>(Type.Union(texts.map((text) => Type.Literal(text))));
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
  where: oneOf('on-machine', 'cloud'),
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
  hedged: Type.Optional(Type.Boolean()),
};
const stt = {
  ...common,
  role: Type.Literal('stt'),
  /**
   * `finished`: its words come with capitals, marks and digits, and are kept so; `plain` (the usual): ours
   * are put in.
   */
  writes: Type.Optional(oneOf('plain', 'finished')),
  /**
   * `by sound`: where an expected phrase sounds like what was heard, its words are put; English only. Usual
   * for the local ears,
   * `as heard` for all others.
   */
  settle: Type.Optional(oneOf('as heard', 'by sound')),
};
const llm = {
  ...common,
  role: Type.Literal('llm'),
  /**
   * What it is asked, it does or remembers: it is asked only for a turn that is over, once, and no other is
   * asked beside it.
   */
  acts: Type.Optional(Type.Boolean()),
};
const tts = { ...common, role: Type.Literal('tts') };
const Hosts = Type.Optional(Type.Integer({ minimum: 1, maximum: 16 }));

/** Names of our own, and what the engine calls them. */
const CardVoices = Type.Record(Type.String({ pattern: '^[a-z][a-z0-9-]{0,62}$' }), Type.String(), {
  minProperties: 1,
});

const builtIn = [
  Type.Object(
    { ...stt, wire: Type.Literal('pocketsphinx'), hosts: Hosts, model: Type.Optional(Type.String()) },
    closed,
  ),
  Type.Object({ ...tts, wire: Type.Literal('flite'), hosts: Hosts, voices: CardVoices }, closed),
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
  /** The caller's own page answers (docs/embedding.md). It is asked as an engine that acts. */
  Type.Object({ ...llm, wire: Type.Literal('page') }, closed),
] as const;

const rateHz = Type.Optional(Type.Integer({ minimum: 8_000, maximum: 48_000 }));

/** A part of a form (RFC 7578): the sound as a file, or a field. */
const FormPart = Type.Union([
  Type.Object(
    {
      name: Sentence,
      /** The name that its file is given, such as segment.wav. */
      file: Sentence,
      type: Type.Optional(Type.String({ pattern: '^[\\w.+-]+/[\\w.+-]+$', description: 'a media type' })),
    },
    closed,
  ),
  Type.Object({ name: Sentence, value: Template }, closed),
]);
/** Which messages a rule is for. */
const fitting = {
  /** All of these values must be where the pointers say. */
  when: Type.Optional(Type.Record(Type.String(), Type.Unknown())),
  /** Something must be where the pointer says. */
  has: Type.Optional(Pointer),
};

export const SendPart = Type.Object(
  {
    method: Type.Optional(oneOf('POST', 'PUT', 'GET')),
    /**
     * How the caller's sound goes: as it comes (`stream`), `whole` when a segment is over, or so in `parts`
     * of a form (HTTP).
     */
    form: Type.Optional(oneOf('stream', 'whole', 'parts')),
    parts: Type.Optional(Type.Array(FormPart, { minItems: 1, maxItems: 32 })),
    /** Where sound goes whole: for provisional words, what there is of it is sent so often. */
    everyMs: Type.Optional(ms('between two requests for provisional words')),
    /** Sent first: one body of HTTP or of a process; messages of a socket. */
    open: Type.Optional(Type.Array(Template, { maxItems: 8 })),
    /** How sound is packed: as it is, or in a message around {sound}, which is base64. */
    sound: Type.Optional(Template),
    encoding: Type.Optional(oneOf('pcm16', 'mulaw', 'alaw', 'wav', 'flac')),
    rateHz,
    /**
     * Of a socket: the engine speaks first. What it says may be taken into values for the templates, and is
     * answered.
     */
    greeted: Type.Optional(
      Type.Object(
        {
          ...fitting,
          take: Type.Optional(Type.Record(Type.String({ pattern: '^[a-zA-Z]\\w*$' }), Pointer)),
          reply: Type.Optional(Type.Array(Template, { maxItems: 8 })),
        },
        closed,
      ),
    ),
    /** Of a socket: sub-protocols that are offered. */
    protocols: Type.Optional(Type.Array(Type.String({ minLength: 1 }), { minItems: 1, maxItems: 8 })),
    /**
     * Of a socket: a connection a request (the usual), or one that is kept for a whole talk, where `begin` is
     * sent at each request.
     */
    connection: Type.Optional(oneOf('request', 'talk')),
    begin: Type.Optional(Type.Array(Template, { maxItems: 8 })),
    /** Of an engine that acts: told after the turn what of its answer was heard. */
    heard: Type.Optional(Type.Object({ path: Type.String({ pattern: '^/' }), message: Template }, closed)),
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
          /** Who brings what a function has given. */
          result: Type.Optional(Type.String()),
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
    unit: Type.Optional(oneOf('s', 'ms')),
  },
  closed,
);
const HeardText = Type.Object(
  { text: Pointers, words: Type.Optional(Words), alternatives: Type.Optional(Pointer) },
  closed,
);

export const ReadRule = Type.Object(
  {
    ...fitting,
    partial: Type.Optional(HeardText),
    final: Type.Optional(HeardText),
    piece: Type.Optional(Pointers),
    usage: Type.Optional(Type.Object({ in: Type.Optional(Pointer), out: Type.Optional(Pointer) }, closed)),
    sound: Type.Optional(Pointer),
    words: Type.Optional(Words),
    /** A function that the model wants called. */
    call: Type.Optional(
      Type.Object(
        {
          /** Of a message with several: where their list is; the other pointers are within each of it. */
          list: Type.Optional(Pointer),
          id: Type.Optional(Pointer),
          /** Tells the calls of one answer apart where their pieces carry no id. */
          index: Type.Optional(Pointer),
          name: Pointer,
          /** Whole, as a JSON text, or a piece of that text. */
          arguments: Type.Optional(Pointer),
        },
        closed,
      ),
    ),
    error: Type.Optional(Type.Object({ message: Pointers, code: Type.Optional(Pointer) }, closed)),
    /** The answer is complete. */
    end: Type.Optional(Type.Literal(true)),
    /** The engine wants the talk to end with this answer, or to be handed over to a person. */
    closes: Type.Optional(oneOf('end', 'hand over')),
  },
  closed,
);

export const ReceivePart = Type.Object(
  {
    /** `messages` of a socket; `lines` of JSON; server-sent `events`; one `whole` JSON; `sound` as it is. */
    form: Type.Optional(oneOf('messages', 'lines', 'events', 'whole', 'sound')),
    /** A message that is not JSON and says that the answer is complete. */
    endMark: Type.Optional(Type.String({ minLength: 1 })),
    /** Of the sound that comes; `auto`: its first bytes tell. */
    encoding: Type.Optional(oneOf('pcm16', 'mulaw', 'alaw', 'wav', 'mp3', 'ogg', 'flac', 'webm', 'auto')),
    rateHz,
    /** Of sound without a head of its own. */
    channels: Type.Optional(Type.Integer({ minimum: 1, maximum: 8 })),
    /** The pieces together are JSON, and what is to be spoken is the text at this pointer. */
    spoken: Type.Optional(Pointer),
    read: Type.Optional(Type.Array(ReadRule, { minItems: 1, maxItems: 32 })),
  },
  closed,
);

const carded = {
  /** The name of the environment variable that holds the key; {secret} stands for its value. */
  secret: Type.Optional(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' })),
  /** The name that belongs to the key: {basic} stands for both, as HTTP Basic wants them (RFC 7617). */
  user: Type.Optional(Type.String({ pattern: '^[^:]+$', description: 'a name without a colon' })),
  headers: Type.Optional(Type.Record(Type.String(), Type.String())),
  /** Put to the address: what stands behind its question mark. */
  query: Type.Optional(Type.Record(Type.String(), Type.String())),
  /** A key for a while, fetched from another address; {token} stands for it. */
  token: Type.Optional(
    Type.Object(
      {
        post: Type.String({ pattern: '^(https?://|standin:)' }),
        headers: Type.Optional(Type.Record(Type.String(), Type.String())),
        /** JSON, or with `asForm` the fields of a form. */
        send: Type.Optional(Template),
        asForm: Type.Optional(Type.Boolean()),
        read: Pointer,
        /** It holds so long, where the answer does not say it. */
        everyS: Type.Optional(Type.Integer({ minimum: 1, maximum: 86_400 })),
        /** Where in the answer it stands how long it holds, in seconds. */
        holdsS: Type.Optional(Pointer),
      },
      closed,
    ),
  ),
  /** So often is a request made again that failed before it was answered at all. */
  retries: Type.Optional(Type.Integer({ minimum: 0, maximum: 5 })),
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
