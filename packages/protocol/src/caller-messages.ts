/** What a caller's line sends over the talk socket, besides binary audio frames. */
import { Type, type Static } from '@sinclair/typebox';
import { closed, Count, SampleIndex, SpeechId } from './names.js';
import { MOST_PIECE_CHARACTERS, PARTS, passed } from './passing.js';

/** The most characters of one typed turn. */
export const MOST_TYPED_CHARACTERS = 4_000;

export const LANGUAGE_TAG = '^[a-zA-Z]{2,3}(-[a-zA-Z0-9]{2,8})*$';
/** What wakes an assistant that rests: a voice (the usual), only a tap, or one of these phrases too. */
export const Wake = Type.Union([
  Type.Literal('voice'),
  Type.Literal('tap'),
  Type.Array(
    Type.String({
      pattern: "^\\p{L}[\\p{L}']*( [\\p{L}']+){1,5}$",
      description: 'two to six words, like "hello tansy"',
    }),
    { minItems: 1, maxItems: 8, description: 'phrases, which the local ears listen for' },
  ),
]);
export const Interrupt = Type.Union([Type.Literal('voice'), Type.Literal('words'), Type.Literal('key')]);
export const Echo = Type.Union([Type.Literal('none'), Type.Literal('some'), Type.Literal('loud')]);
export const Floor = Type.Union([Type.Literal('open'), Type.Literal('press'), Type.Literal('once')]);

/** An id, a name, and values of your own. */
export const Caller = Type.Object(
  {
    id: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })),
    name: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })),
    values: Type.Optional(
      Type.Record(Type.String({ maxLength: 64 }), Type.String({ maxLength: 1_000 }), { maxProperties: 50 }),
    ),
  },
  closed,
);
export type Caller = Static<typeof Caller>;

export const Arrive = Type.Object(
  {
    kind: Type.Literal('arrive'),
    assistant: Type.Optional(Type.String({ minLength: 1, maxLength: 64 })),
    purpose: Type.Optional(Type.Union([Type.Literal('talk'), Type.Literal('listen')])),
    line: Type.Union([
      Type.Literal('web'),
      Type.Literal('terminal'),
      Type.Literal('device'),
      Type.Literal('phone'),
      Type.Literal('recording'),
    ]),
    audio: Type.Object(
      { encoding: Type.Literal('s16le'), rateHz: Type.Integer({ minimum: 8_000, maximum: 192_000 }) },
      closed,
    ),
    /**
     * The assistant's own voice in the caller's microphone. `none`, with headphones or a recording: what is
     * heard is the caller. `some`, which is usual: it is told from the caller's. `loud`: it cannot be, and
     * only keys stop it.
     */
    echo: Type.Optional(Echo),
    /** The caller's language (BCP 47), usually that of the device. */
    language: Type.Optional(Type.String({ pattern: LANGUAGE_TAG })),
    /** Who talks: for the engines' cards, for errands, and for the stored talk. */
    caller: Type.Optional(Caller),
    /** A page token (`POST /v1/tokens`): what a page shows that is not the service's own. */
    pass: Type.Optional(Type.String({ minLength: 20, maxLength: 200 })),
    /** What the caller's page takes part in, where the assistant lets it: stages, and the model's place. */
    parts: Type.Optional(
      Type.Array(Type.Union(PARTS.map((part) => Type.Literal(part))), { uniqueItems: true }),
    ),
    /** Instead of the assistant's own manners. */
    floor: Type.Optional(Floor),
    /**
     * Joins the talk of this link (`POST /v1/conversations/ID/views`) beside its caller; `caller.name` is how
     * it is named.
     */
    join: Type.Optional(Type.String({ minLength: 8, maxLength: 64 })),
    /**
     * The line was lost for a moment: goes on with the talk of this token, of which `received` items have
     * come.
     */
    resume: Type.Optional(
      Type.Object({ token: Type.String({ minLength: 8, maxLength: 64 }), received: Count }, closed),
    ),
  },
  closed,
);

export const Typed = Type.Object(
  {
    kind: Type.Literal('typed'),
    text: Type.String({ minLength: 1, maxLength: MOST_TYPED_CHARACTERS, pattern: '\\S' }),
  },
  closed,
);
/** A key goes down or up while the caller's axis stood at `capture`, in samples of the line. */
const Key = { capture: SampleIndex };
export const Press = Type.Object({ kind: Type.Literal('press'), ...Key }, closed);
export const Release = Type.Object({ kind: Type.Literal('release'), ...Key }, closed);
export const TakeFloor = Type.Object({ kind: Type.Literal('floor'), floor: Floor }, closed);
export const HushPlease = Type.Object({ kind: Type.Literal('hush') }, closed);
export const Fresh = Type.Object({ kind: Type.Literal('fresh') }, closed);
export const Leave = Type.Object({ kind: Type.Literal('leave') }, closed);

/**
 * `sample` samples of `speech` have left the line's output (its latency included) when the caller's axis
 * stood at capture sample `capture`; `flushed` answers a hush: nothing more of it will be played.
 */
export const Played = Type.Object(
  {
    kind: Type.Literal('played'),
    speech: SpeechId,
    sample: SampleIndex,
    capture: SampleIndex,
    flushed: Type.Optional(Type.Boolean()),
  },
  closed,
);

/**
 * The line heard a voice and ducked ours by itself; unless it is told to duck within half a second it undoes
 * that.
 */
export const Ducked = Type.Object({ kind: Type.Literal('ducked'), ...Key }, closed);

/** Another engine is to serve from the next segment, thought or phrase on. */
export const Swap = Type.Object(
  {
    kind: Type.Literal('swap'),
    role: Type.Union([Type.Literal('stt'), Type.Literal('llm'), Type.Literal('tts')]),
    engine: Type.String({ minLength: 1, maxLength: 200 }),
  },
  closed,
);

/**
 * The assistant is to hear, or to answer in, another language (BCP 47) from the next segment, thought and
 * phrase on.
 */
export const Languages = {
  hears: Type.Optional(Type.String({ pattern: LANGUAGE_TAG })),
  speaks: Type.Optional(Type.String({ pattern: LANGUAGE_TAG })),
};
export const SetLanguage = Type.Object(
  { kind: Type.Literal('language'), ...Languages },
  { ...closed, minProperties: 2 },
);

/** A value that the caller wrote into the form of the errand that goes on. */
export const Wrote = Type.Object(
  {
    kind: Type.Literal('wrote'),
    slot: Type.String({ minLength: 1, maxLength: 63 }),
    value: Type.Union([Type.String({ maxLength: 1_000 }), Type.Number(), Type.Boolean()]),
  },
  closed,
);

/** What came of a `screen`: it was done, or it could not be. */
export const Screen = Type.Object(
  {
    kind: Type.Literal('screen'),
    run: Count,
    done: Type.Boolean(),
    /** What it gave, to be said. */
    values: Type.Optional(
      Type.Record(Type.String({ maxLength: 63 }), Type.String({ maxLength: 1_000 }), { maxProperties: 30 }),
    ),
  },
  closed,
);

/** What a `pass` of the service is to pass on as; what is left out stays as it was. */
export const PassedOn = Type.Object({ kind: Type.Literal('passed'), call: Count, ...passed }, closed);

/** A piece of the answer that the page gives to a `think`. */
export const Piece = Type.Object(
  {
    kind: Type.Literal('piece'),
    thought: Count,
    text: Type.String({ minLength: 1, maxLength: MOST_PIECE_CHARACTERS }),
  },
  closed,
);

/** The page's answer is complete, or, with `trouble`, there will be none. */
export const Thought = Type.Object(
  {
    kind: Type.Literal('thought'),
    thought: Count,
    trouble: Type.Optional(Type.String({ minLength: 1, maxLength: 500 })),
  },
  closed,
);

/**
 * Whoever has joined a talk talks with its caller in the assistant's place; or leaves the caller to the
 * assistant again.
 */
export const TakeOver = Type.Object({ kind: Type.Literal('takeOver') }, closed);
export const GiveBack = Type.Object({ kind: Type.Literal('giveBack') }, closed);

export const callerMessages = {
  arrive: Arrive,
  typed: Typed,
  press: Press,
  release: Release,
  floor: TakeFloor,
  hush: HushPlease,
  fresh: Fresh,
  played: Played,
  ducked: Ducked,
  leave: Leave,
  swap: Swap,
  language: SetLanguage,
  wrote: Wrote,
  screen: Screen,
  passed: PassedOn,
  piece: Piece,
  thought: Thought,
  takeOver: TakeOver,
  giveBack: GiveBack,
};
export type CallerMessageKind = keyof typeof callerMessages;
export type CallerMessage = {
  [K in CallerMessageKind]: Static<(typeof callerMessages)[K]>;
}[CallerMessageKind];
export type CallerMessageOf<K extends CallerMessageKind> = Static<(typeof callerMessages)[K]>;
