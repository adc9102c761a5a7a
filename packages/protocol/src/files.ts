/** The files of a project folder: `project.yaml`, `assistants/*.yaml`, `engines/*.yaml`. */
import { Type, type Static } from '@sinclair/typebox';

const closed = { additionalProperties: false };
const Name = Type.String({
  pattern: '^[a-z][a-z0-9-]{0,62}$',
  description: 'lower-case letters, digits and hyphens',
});
const Sentence = Type.String({ minLength: 1, maxLength: 2_000 });

export const ProjectFile = Type.Object(
  {
    title: Sentence,
    /** The assistant a caller gets who names none. */
    assistant: Name,
    /** Processes that the service starts before it and stops after it. */
    standins: Type.Optional(
      Type.Array(
        Type.Object(
          {
            name: Name,
            /** A JavaScript file, from the project folder, and its arguments. */
            start: Type.Array(Type.String(), { minItems: 1 }),
            /** It is ready when it prints `ready http://…` on a line; the address is then put for `standin:NAME`. */
          },
          closed,
        ),
      ),
    ),
  },
  closed,
);

export const AssistantFile = Type.Object(
  {
    title: Sentence,
    language: Type.Literal('en'),
    persona: Type.String({ minLength: 1, maxLength: 20_000 }),
    greeting: Type.Optional(Sentence),
    cannotThink: Type.Optional(Sentence),
    lineup: Type.Object({ stt: Name, llm: Name, tts: Name }, closed),
    voice: Type.Optional(
      Type.Object(
        {
          name: Type.Optional(Name),
          /** 1 is the voice's own; 2 is twice as fast. */
          rate: Type.Optional(Type.Number({ minimum: 0.5, maximum: 2 })),
          /** Mean pitch, in Hz. */
          pitchHz: Type.Optional(Type.Number({ minimum: 50, maximum: 400 })),
        },
        closed,
      ),
    ),
    manners: Type.Optional(
      Type.Object(
        {
          leewayMs: Type.Optional(Type.Integer({ minimum: 200, maximum: 5_000 })),
          first: Type.Optional(Type.Union([Type.Literal('assistant'), Type.Literal('caller')])),
          interrupt: Type.Optional(Type.Union([Type.Literal('voice'), Type.Literal('key')])),
          restAfterMs: Type.Optional(Type.Integer({ minimum: 1_000, maximum: 3_600_000 })),
          answers: Type.Optional(Type.Union([Type.Literal('short'), Type.Literal('long')])),
        },
        closed,
      ),
    ),
    /** Both sides' sound and words are kept. */
    recorded: Type.Optional(Type.Boolean()),
    /** What callers are likely to say: `(a|b)` is one of them, `[a]` may be left out, `{slot}` is one of the slot's values. */
    expect: Type.Optional(
      Type.Object(
        {
          phrases: Type.Array(Type.String({ minLength: 1, maxLength: 500 }), { maxItems: 2_000 }),
          slots: Type.Optional(
            Type.Record(Type.String(), Type.Array(Type.String({ minLength: 1 }), { minItems: 1 })),
          ),
          /** Share of the expected phrases beside the general language model. */
          weight: Type.Optional(Type.Number({ exclusiveMinimum: 0, exclusiveMaximum: 1 })),
        },
        closed,
      ),
    ),
    /** A W3C PLS file beside this one: how words that no dictionary has are pronounced. */
    lexicon: Type.Optional(Type.String({ pattern: '\\.pls$' })),
  },
  closed,
);

const common = {
  title: Sentence,
  where: Type.Union([Type.Literal('on-machine'), Type.Literal('cloud')]),
  languages: Type.Array(Type.String({ minLength: 2 }), { minItems: 1 }),
};

export const EngineFile = Type.Union([
  Type.Object(
    {
      ...common,
      role: Type.Literal('stt'),
      wire: Type.Literal('pocketsphinx'),
      /** Decoders kept warm: so many callers are heard at the same moment. */
      hosts: Type.Optional(Type.Integer({ minimum: 1, maximum: 16 })),
      model: Type.Optional(Type.String()),
    },
    closed,
  ),
  Type.Object(
    {
      ...common,
      role: Type.Literal('tts'),
      wire: Type.Literal('flite'),
      hosts: Type.Optional(Type.Integer({ minimum: 1, maximum: 16 })),
      voices: Type.Array(Name, { minItems: 1 }),
    },
    closed,
  ),
  Type.Object(
    {
      ...common,
      role: Type.Literal('llm'),
      wire: Type.Literal('lines'),
      /** `http://…`, or `standin:NAME`. */
      address: Type.String({ pattern: '^(https?://|standin:)' }),
      /** The first piece is waited for this long, and each later one, in ms. */
      patienceMs: Type.Optional(Type.Integer({ minimum: 100, maximum: 120_000 })),
    },
    closed,
  ),
]);

export type ProjectFile = Static<typeof ProjectFile>;
export type AssistantFile = Static<typeof AssistantFile>;
export type EngineFile = Static<typeof EngineFile>;
