/** Errands over HTTP: what there is, tried, and what came of them. */
import { Type, type Static, type TProperties } from '@sinclair/typebox';
import { closed, Name } from './names.js';
import { ErrandStage, Nullable } from './service-messages.js';

const object = <P extends TProperties>(properties: P) => Type.Object(properties, closed);
const Text = Type.String();
const SlotValue = Type.Union([Text, Type.Number(), Type.Boolean()]);
export const ErrandSummary = object({
  name: Text,
  title: Text,
  about: Text,
  begins: Type.Array(Text),
  /** In the order in which they are asked for. */
  slots: Type.Array(
    object({ name: Text, kind: Text, ask: Text, optional: Type.Boolean(), values: Type.Array(Text) }),
  ),
  /** How it is done: http, module, program, table, keep, handOver. */
  does: Text,
  readsBack: Type.Boolean(),
  /** For which its file has a sentence, or may have one. */
  outcomes: Type.Array(Text),
  /** Assistants that can do it. */
  assistants: Type.Array(Text),
  examples: Type.Array(Text),
});
/** Sayings, one after the other; `now`: as if it were then, `YYYY-MM-DDTHH:MM`. */
export const TryErrandRequest = object({
  said: Type.Array(Type.String({ minLength: 1, maxLength: 5_000 }), { minItems: 1, maxItems: 50 }),
  now: Type.Optional(Type.String({ pattern: '^\\d{4}-\\d\\d-\\d\\dT\\d\\d:\\d\\d$' })),
});
/** What would come of a saying: `does` is pass, say, answer, act, stop or hand over. */
export const TriedErrand = object({
  said: Text,
  does: Text,
  says: Text,
  errand: Nullable(Text),
  stage: Nullable(ErrandStage),
  asking: Nullable(Text),
  slots: Type.Array(object({ name: Text, kind: Text, value: SlotValue, text: Text, said: Text })),
});
export const RunsQuery = object({
  errand: Type.Optional(Name),
  conversation: Type.Optional(Type.String({ pattern: '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' })),
  limit: Type.Optional(Type.Integer({ minimum: 1, maximum: 500 })),
});
/** What came of a run of an errand. `code`: an outcome of its own; `given`: what the doing gave. */
export const RunSummary = object({
  run: Text,
  errand: Text,
  state: ErrandStage,
  code: Nullable(Text),
  slots: Type.Record(Text, SlotValue),
  given: Type.Record(Text, Text),
  assistant: Text,
  conversation: Text,
  /** ISO 8601. */
  at: Text,
});

export const GrammarQuery = object({
  form: Type.Optional(Type.Union([Type.Literal('srgs'), Type.Literal('jsgf')])),
});
export const MESSAGE_STATES = ['waiting', 'going', 'gone', 'withdrawn'] as const;
export type MessageState = (typeof MESSAGE_STATES)[number];
/**
 * `trying`: it is on its way just now; `unsure`: it was on its way when the connection, or the service, broke
 * off, and is not sent again.
 */
export const DELIVERY_STATES = ['waiting', 'trying', 'sent', 'failed', 'unsure', 'withdrawn'] as const;
export type DeliveryState = (typeof DELIVERY_STATES)[number];
const oneOf = <T extends string>(all: readonly T[]) => Type.Union(all.map((one) => Type.Literal(one)));
/** A message of an errand, with how it stands for each recipient. */
export const MessageSummary = object({
  id: Text,
  errand: Text,
  assistant: Text,
  conversation: Text,
  /** Who sent it, as far as the line said. */
  sender: Text,
  subject: Text,
  text: Text,
  state: oneOf(MESSAGE_STATES),
  /** ISO 8601; null for one that waits until something happens. */
  dueAt: Nullable(Text),
  occasion: Nullable(Text),
  at: Text,
  deliveries: Type.Array(
    object({
      contact: Text,
      name: Text,
      state: oneOf(DELIVERY_STATES),
      way: Text,
      attempts: Type.Integer(),
      why: Text,
    }),
  ),
});
export type MessageSummary = Static<typeof MessageSummary>;
export const MessagesQuery = object({
  state: Type.Optional(oneOf(MESSAGE_STATES)),
  limit: Type.Optional(Type.Integer({ minimum: 1, maximum: 500 })),
});
/** What of a waiting message is changed. */
export const ChangeMessageRequest = object({
  text: Type.Optional(Type.String({ minLength: 1, maxLength: 5_000 })),
  /** ISO 8601. */
  dueAt: Type.Optional(
    Type.String({ pattern: '^\\d{4}-\\d\\d-\\d\\dT\\d\\d:\\d\\d(:\\d\\d(\\.\\d+)?)?(Z|[+-]\\d\\d:\\d\\d)$' }),
  ),
});
/** How many messages that waited for it go. */
export const OccasionAnswer = object({ messages: Type.Integer() });
/** Whom messages may go to. */
export const ContactSummary = object({
  key: Text,
  name: Text,
  also: Type.Array(Text),
  /** Of a person: where messages reach them. */
  ways: Type.Record(Text, Text),
  /** Of a list: its contacts. */
  of: Type.Array(Text),
});
export type ContactSummary = Static<typeof ContactSummary>;

/** How many, at most. */
export const LimitQuery = object({ limit: Type.Optional(Type.Integer({ minimum: 1, maximum: 500 })) });

export type ErrandSummary = Static<typeof ErrandSummary>;
export type TryErrandRequest = Static<typeof TryErrandRequest>;
export type TriedErrand = Static<typeof TriedErrand>;
export type RunSummary = Static<typeof RunSummary>;
