/** An errand: `errands/NAME.yaml`, something that an assistant does for its callers (docs/errands.md). */
import { Type, type Static } from '@sinclair/typebox';
import { SLOT_KINDS } from '@verbalon/core';
import { closed, Name, Sentence } from './names.js';

const SlotName = '^[A-Za-z][A-Za-z0-9_-]{0,62}$';
const Words = Type.Array(Type.String({ minLength: 1, maxLength: 200 }), { maxItems: 200 });
const Value = Type.Union([Type.String({ maxLength: 5_000 }), Type.Number(), Type.Boolean()]);
const Pointer = Type.String({ pattern: '^(/.*)?$', description: 'a JSON Pointer (RFC 6901)' });

const GrammarPath = Type.String({ pattern: '^(?!.*\\.\\.)[A-Za-z0-9][A-Za-z0-9._/-]*\\.(grxml|xml|jsgf)$' });

const Choice = Type.Union([
  Type.String({ minLength: 1, maxLength: 200 }),
  Type.Object(
    {
      value: Type.String({ minLength: 1, maxLength: 200 }),
      /** How it is said back. */
      say: Type.Optional(Type.String({ minLength: 1, maxLength: 200 })),
      /** Other ways to say it. */
      also: Type.Optional(Words),
    },
    closed,
  ),
]);

const Address = Type.String({
  pattern: '^(https?://|standin:[a-z])',
  description: 'http(s)://… or standin:NAME/…, with {slot} for what a slot holds',
});
const Secret = Type.Optional(Type.String({ pattern: '^[A-Z][A-Z0-9_]*$' }));

/** Values that an address gives: an array of texts, or of `{ value, say, also }`. */
const ListedValues = Type.Object(
  {
    from: Address,
    at: Type.Optional(Pointer),
    headers: Type.Optional(Type.Record(Type.String(), Type.String())),
    secret: Secret,
    /** So long they are as good as new, in s. */
    keepS: Type.Optional(Type.Integer({ minimum: 5, maximum: 86_400, description: 's' })),
    /** Used until it has answered for the first time. */
    otherwise: Type.Array(Choice, { minItems: 1 }),
  },
  closed,
);

const Slot = Type.Object(
  {
    kind: Type.Union(SLOT_KINDS.map((kind) => Type.Literal(kind))),
    /** Of a choice; of a name, those that are likely. Or the address from which they come. */
    values: Type.Optional(Type.Union([Type.Array(Choice, { minItems: 1 }), ListedValues])),
    /** Of a choice or a contact: several may be said. */
    several: Type.Optional(Type.Boolean()),
    /** A grammar in the project, SRGS (XML) or JSGF, and which of its rules it is; by default its root. */
    grammar: Type.Optional(GrammarPath),
    rule: Type.Optional(Type.String({ minLength: 1, maxLength: 100 })),
    /** While it is asked for, the ears listen for its values only. */
    heard: Type.Optional(Type.Literal('fixed')),
    /** The question, and a simpler one for when it was not understood. */
    ask: Type.Optional(Sentence),
    again: Type.Optional(Sentence),
    /** Said when a value is not possible. */
    why: Type.Optional(Sentence),
    /** A number; of a date or a time, the earliest and the latest. */
    least: Type.Optional(Type.Union([Type.Number(), Type.String({ maxLength: 20 })])),
    most: Type.Optional(Type.Union([Type.Number(), Type.String({ maxLength: 20 })])),
    /** Of digits: so many. */
    length: Type.Optional(Type.Integer({ minimum: 1, maximum: 30 })),
    /** A date or a moment may lie in the past. */
    past: Type.Optional(Type.Boolean()),
    /** Weekdays on which a date may fall. */
    days: Type.Optional(
      Type.Array(
        Type.Union(
          (['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const).map(
            (day) => Type.Literal(day),
          ),
        ),
        { minItems: 1, maxItems: 7 },
      ),
    ),
    optional: Type.Optional(Type.Boolean()),
    default: Type.Optional(Value),
    /** Words before a value, and directly behind it, that tell that this slot is meant. */
    after: Type.Optional(Words),
    near: Type.Optional(Words),
    /** What is counted, one and several of it. */
    unit: Type.Optional(
      Type.Array(Type.String({ minLength: 1, maxLength: 80 }), { minItems: 2, maxItems: 2 }),
    ),
    /** Of yes or no: what else says so. */
    yes: Type.Optional(Words),
    no: Type.Optional(Words),
  },
  closed,
);

const deadlineMs = Type.Optional(Type.Integer({ minimum: 100, maximum: 120_000, description: 'ms' }));
/** What is taken from the answer, by the names under which it is said. */
const gives = Type.Optional(Type.Record(Type.String({ pattern: SlotName }), Pointer));

const Http = Type.Object(
  {
    method: Type.Optional(
      Type.Union((['GET', 'POST', 'PUT', 'PATCH', 'DELETE'] as const).map((method) => Type.Literal(method))),
    ),
    to: Address,
    headers: Type.Optional(Type.Record(Type.String(), Type.String())),
    /** The environment variable with the key; `{secret}` in a header stands for it. */
    secret: Secret,
    /** JSON; a text that is only `{slot}` becomes the value itself. */
    body: Type.Optional(Type.Unknown()),
    gives,
    deadlineMs,
    /** It may be tried again when nobody knows whether it was done. */
    mayRepeat: Type.Optional(Type.Boolean()),
    /** Outcomes of the errand's own, by their names: their sentences stand in `says`. */
    outcomes: Type.Optional(
      Type.Record(
        Type.String({ pattern: SlotName }),
        Type.Object(
          {
            status: Type.Optional(Type.Integer({ minimum: 100, maximum: 599 })),
            /** What stands there, and what it is. */
            at: Type.Optional(Pointer),
            is: Type.Optional(Value),
            /** Another value of this slot may make it possible. */
            asks: Type.Optional(Type.String({ pattern: SlotName })),
            /** It counts as done. */
            done: Type.Optional(Type.Boolean()),
          },
          closed,
        ),
      ),
    ),
    /** Asked when nobody knows whether it was done: a 2xx says that it was, a 404 that it was not. */
    wasDone: Type.Optional(Type.Object({ to: Address, gives }, closed)),
  },
  closed,
);

const Filled = Type.String({
  minLength: 1,
  maxLength: 5_000,
  description: '{slot} stands for what it holds',
});
/**
 * A message to contacts: it waits in a queue until its time, and may be changed or withdrawn until it goes
 * out.
 */
const Message = Type.Object(
  {
    /** Changed or withdrawn is the last one to these that still waits. */
    does: Type.Optional(Type.Union([Type.Literal('send'), Type.Literal('change'), Type.Literal('withdraw')])),
    /** Contacts or lists by their keys, separated by commas; usually a slot of the kind contact. */
    to: Filled,
    text: Type.Optional(Filled),
    subject: Type.Optional(Filled),
    /** A slot of the kind moment; now where it is left out or empty. */
    at: Type.Optional(Filled),
    /** It goes when this happens: POST /v1/occasions/NAME. */
    when: Type.Optional(Filled),
  },
  closed,
);

/** What the caller's own screen does: the line is told, and answers. */
const Screen = Type.Object(
  {
    /** A function that the caller's page offers, by its name; it is given the others. */
    call: Type.Optional(Name),
    /** An address to open. */
    open: Type.Optional(Filled),
    /** Something to show. */
    show: Type.Optional(Filled),
    /** Fields to fill, by their names. */
    fill: Type.Optional(Type.Record(Type.String({ minLength: 1, maxLength: 100 }), Filled)),
  },
  { ...closed, minProperties: 1 },
);

const Does = Type.Union([
  Type.Object({ http: Http }, closed),
  Type.Object({ module: Type.String({ pattern: '.+\\.m?js$' }), deadlineMs }, closed),
  Type.Object({ program: Type.Array(Type.String(), { minItems: 1, maxItems: 50 }), deadlineMs }, closed),
  /** It is only written down, among the outcomes. */
  Type.Object({ keep: Type.Literal(true) }, closed),
  /** A row of this CSV file in the project. */
  Type.Object({ table: Type.String({ pattern: '^(?!.*\\.\\.)[A-Za-z0-9][A-Za-z0-9._/-]*\\.csv$' }) }, closed),
  /** A person takes over, and is told what is known. */
  Type.Object({ handOver: Type.Literal(true) }, closed),
  Type.Object({ message: Message }, closed),
  Type.Object({ screen: Screen, deadlineMs }, closed),
]);

export const ErrandFile = Type.Object(
  {
    /** What it does, to go on after "I can": "book bunks". */
    title: Sentence,
    /** What it is for, in words for a model. */
    about: Sentence,
    /** Patterns of sayings that begin it; without any, only a model does. */
    begins: Type.Optional(Type.Array(Type.String({ minLength: 1, maxLength: 500 }), { maxItems: 500 })),
    /**
     * A grammar in the project, SRGS (XML) or JSGF: what fits its root begins it too; tags `slot=value` fill
     * slots.
     */
    grammar: Type.Optional(GrammarPath),
    slots: Type.Record(Type.String({ pattern: SlotName }), Slot, {
      maxProperties: 30,
      additionalProperties: false,
    }),
    /**
     * Read back before it is done; false: it is done at once; `when unsure`: at once, unless a value was not
     * heard for sure.
     */
    readBack: Type.Optional(Type.Union([Sentence, Type.Literal(false)])),
    does: Does,
    /** What is said of each outcome: done, failed, unsure, cancelled, and those of its own. */
    says: Type.Optional(Type.Record(Type.String({ pattern: SlotName }), Sentence)),
    /** Where its results come from: said with them. */
    source: Type.Optional(Sentence),
    /** Long results are read in parts of about so many words. */
    wordsAtOnce: Type.Optional(Type.Integer({ minimum: 5, maximum: 500 })),
    /** A run that is under way may be called off. */
    mayStop: Type.Optional(Type.Boolean()),
    /**
     * The day on which its examples are said, 2026-06-01 where it names none; with a time after T, noon where
     * it has none.
     */
    examplesOn: Type.Optional(
      Type.String({ pattern: '^\\d{4}-\\d\\d-\\d\\d(T([01]\\d|2[0-3]):[0-5]\\d)?$' }),
    ),
    /** Sentences, with the values that they should give: `check` and the try-out run them. */
    examples: Type.Optional(
      Type.Array(
        Type.Object({ say: Sentence, gives: Type.Record(Type.String({ pattern: SlotName }), Value) }, closed),
        { maxItems: 500 },
      ),
    ),
  },
  closed,
);

export type ErrandFile = Static<typeof ErrandFile>;
export type ErrandHttp = Static<typeof Http>;
export type ErrandMessage = Static<typeof Message>;
export type ErrandScreen = Static<typeof Screen>;
export type ListedValues = Static<typeof ListedValues>;
