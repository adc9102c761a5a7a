/** What goes in and out over HTTP about engines: checks, swaps, languages, costs, tryouts. */
import { Type, type Static, type TProperties } from '@sinclair/typebox';
import { Languages } from './caller-messages.js';
import { Problem } from './http.js';
import { CostSum, EngineRole, LineupEntry, Nullable } from './service-messages.js';
import { closed, Count } from './names.js';

const object = <P extends TProperties>(properties: P) => Type.Object(properties, closed);
const Ms = Type.Number({ minimum: 0, description: 'milliseconds' });
const Text = Type.String();

export const CheckRequest = object({ names: Type.Optional(Type.Array(Text, { maxItems: 200 })) });

/** A real round trip with an engine, and another one after it. */
export const EngineCheck = object({
  name: Text,
  role: EngineRole,
  where: LineupEntry.properties.where,
  ok: Type.Boolean(),
  /** It answered, and not what it should have: ears heard many of the words wrong. */
  doubtful: Type.Boolean(),
  /** To its first answer, the first and the second time; null where it could not be asked. */
  firstMs: Nullable(Ms),
  againMs: Nullable(Ms),
  /** What it answered, in a few words. */
  answered: Text,
  /** What it was to hear; null where that is not known. */
  expected: Nullable(Text),
  /** What is noteworthy though it works, and what could not be judged. */
  notes: Type.Array(Text),
  problem: Nullable(Problem),
});

export const SwapRequest = object({
  role: EngineRole,
  engine: Type.String({ minLength: 1, maxLength: 200 }),
});

export const LanguageRequest = Type.Object(Languages, { additionalProperties: false, minProperties: 1 });

const use = {
  engine: Text,
  role: EngineRole,
  requests: Count,
  audioMs: Ms,
  characters: Count,
  tokensIn: Count,
  tokensOut: Count,
  sums: Type.Array(CostSum),
};
export const EngineCost = object(use);
export const TurnCost = object({ turn: Nullable(Count), sums: Type.Array(CostSum) });
/** What a talk cost; `other` is what the same would have cost with other engines. */
export const TalkCost = object({
  sums: Type.Array(CostSum),
  engines: Type.Array(EngineCost),
  turns: Type.Array(TurnCost),
  other: Nullable(Type.Array(CostSum)),
});
export const CostQuery = object({
  stt: Type.Optional(Text),
  llm: Type.Optional(Text),
  tts: Type.Optional(Text),
});
export const DaysQuery = object({ days: Type.Optional(Type.Integer({ minimum: 1, maximum: 400 })) });
/**
 * `standing`: rent and plan for the day, in the currency of the engine's prices; null where it has neither.
 */
export const DayCost = object({
  day: Text,
  ...use,
  standing: Nullable(object({ currency: Text, cost: Type.Number() })),
});

/** How often something took how long, in ms. */
const Spread = object({ n: Count, p50: Type.Number(), p95: Type.Number() });

/** `same`, `other` word, `missing` from what was heard, `added` to it. */
const AlignedWord = object({
  what: Type.Union(['same', 'other', 'missing', 'added'].map((what) => Type.Literal(what))),
  said: Nullable(Text),
  heard: Nullable(Text),
});
const Errors = object({
  words: Count,
  substituted: Count,
  deleted: Count,
  inserted: Count,
  rate: Type.Number({ minimum: 0 }),
});
export const TriedItem = object({
  item: Text,
  group: Text,
  /** What was said, asked, or is to be spoken. */
  given: Text,
  /** What was heard, answered, or understood of what was spoken. */
  got: Text,
  errors: Nullable(Errors),
  alignment: Type.Array(AlignedWord),
  /** To the first partial, piece or sound. */
  firstMs: Nullable(Type.Number()),
  /** From the end of the sound to the final (stt), or to the end of the answer. */
  endMs: Nullable(Type.Number()),
  /** Words shown and later changed. */
  flicker: Nullable(Count),
  /** Time it took for a second of sound. */
  realTimeFactor: Nullable(Type.Number()),
  /** Pieces (llm) a second. */
  rate: Nullable(Type.Number()),
  levelDb: Nullable(Type.Number()),
  audioMs: Nullable(Ms),
  cost: Nullable(Type.Number({ minimum: 0 })),
  /** A person's, 1 to 5. */
  rating: Nullable(Type.Integer({ minimum: 1, maximum: 5 })),
  problem: Nullable(Text),
});
export const TriedEngine = object({
  engine: Text,
  where: LineupEntry.properties.where,
  currency: Nullable(Text),
  cost: Nullable(Type.Number({ minimum: 0 })),
  errors: Nullable(Errors),
  byGroup: Type.Array(object({ group: Text, errors: Errors })),
  firstMs: Nullable(Spread),
  endMs: Nullable(Spread),
  realTimeFactor: Nullable(Spread),
  rate: Nullable(Spread),
  levelDb: Nullable(Spread),
  flicker: Nullable(Count),
  failed: Count,
  items: Type.Array(TriedItem),
});
export const Tryout = object({
  id: Text,
  at: Text,
  role: EngineRole,
  assistant: Text,
  engines: Type.Array(TriedEngine),
});
export const TryoutRequest = object({
  role: EngineRole,
  engines: Type.Array(Text, { minItems: 1, maxItems: 8 }),
  assistant: Type.Optional(Text),
  /**
   * stt: recordings of the project, by name; all without it. Or `conversations`: corrected turns of stored
   * talks.
   */
  recordings: Type.Optional(Type.Array(Text, { maxItems: 500 })),
  conversations: Type.Optional(Type.Array(Text, { maxItems: 50 })),
  /**
   * stt: in place of the project's recordings those that were sent before as
   * `/v1/tryouts/recordings/ID/NAME.wav`, and `NAME.txt` with what was said in it.
   */
  brought: Type.Optional(Type.String({ pattern: '^[0-9a-f-]{36}$' })),
  /** llm and tts: what is asked, or spoken. */
  texts: Type.Optional(Type.Array(Type.String({ minLength: 1, maxLength: 2_000 }), { maxItems: 500 })),
});
export const TryoutSummary = object({
  id: Text,
  at: Text,
  role: EngineRole,
  engines: Type.Array(Text),
  items: Count,
});
export const RatingRequest = object({
  engine: Text,
  item: Text,
  rating: Type.Integer({ minimum: 1, maximum: 5 }),
});
export const CorrectionRequest = object({ turn: Count, text: Type.String({ maxLength: 5_000 }) });

export type EngineCheck = Static<typeof EngineCheck>;
export type EngineCost = Static<typeof EngineCost>;
export type TalkCost = Static<typeof TalkCost>;
export type DayCost = Static<typeof DayCost>;
export type TriedItem = Static<typeof TriedItem>;
export type TriedEngine = Static<typeof TriedEngine>;
export type Tryout = Static<typeof Tryout>;
export type TryoutRequest = Static<typeof TryoutRequest>;
export type TryoutSummary = Static<typeof TryoutSummary>;
