/**
 * What the service sends over the talk socket, besides binary audio frames. Every message carries `atMs` on
 * the caller's axis.
 */
import { Type, type Static, type TProperties } from '@sinclair/typebox';
import { ANSWER_LENGTHS, ENGINE_ROLES } from '@verbalon/core';
import { Floor, Interrupt, Wake } from './caller-messages.js';
import { closed, Count } from './names.js';
import { HeardWord, passing, PassedMessage, STAGES } from './passing.js';

const Ms = Type.Number({
  description: 'milliseconds on the caller’s axis: the index of the captured sample',
});
const Duration = Type.Number({ minimum: 0, description: 'milliseconds' });

function message<K extends string, P extends TProperties>(kind: K, properties: P) {
  return Type.Object({ kind: Type.Literal(kind), atMs: Ms, ...properties }, closed);
}

const Probability = Type.Number({ minimum: 0, maximum: 1 });
const WordTime = Type.Object({ word: Type.String(), endMs: Duration }, closed);
/**
 * `probability`: that the turn was over at the end of the wait, 0 to 1; `growth`: … and after so many ms of
 * the pause, whenever it was weighed anew.
 */
const Wait = Type.Object(
  {
    ms: Duration,
    reason: Type.String(),
    probability: Type.Optional(Probability),
    growth: Type.Optional(Type.Array(Type.Object({ ms: Duration, probability: Probability }, closed))),
  },
  closed,
);

const TurnTimes = Type.Partial(
  Type.Object({
    voiceBeganMs: Ms,
    voiceEndedMs: Ms,
    endpointMs: Ms,
    thinkingMs: Ms,
    finalMs: Ms,
    firstPieceMs: Ms,
    firstPhraseMs: Ms,
    firstAudioMs: Ms,
    soundMs: Ms,
    endedMs: Ms,
  }),
  closed,
);
const GapPart = Type.Union(
  (['wait', 'recognition', 'thinking', 'phrase', 'synthesis', 'playing'] as const).map((part) =>
    Type.Literal(part),
  ),
);
const Gap = Type.Object(
  { ms: Type.Number(), parts: Type.Array(Type.Object({ part: GapPart, ms: Duration }, closed)) },
  closed,
);
export const EngineRole = Type.Union(ENGINE_ROLES.map((role) => Type.Literal(role)));
const relief = { role: EngineRole, from: Type.String(), to: Type.String(), why: Type.String() };
export const Nullable = <T extends TProperties[string]>(schema: T) => Type.Union([schema, Type.Null()]);

export const ErrandStage = Type.Union(
  (
    [
      'asking',
      'reading back',
      'offering',
      'taking up',
      'doing',
      'done',
      'failed',
      'unsure',
      'cancelled',
      'handed over',
    ] as const
  ).map((stage) => Type.Literal(stage)),
);
/** What a slot holds, and how it is said; the times are those of its words. */
export const SlotState = Type.Object(
  {
    name: Type.String(),
    value: Type.Union([Type.String(), Type.Number(), Type.Boolean()]),
    text: Type.String(),
    /** False while its words may still change. */
    settled: Type.Boolean(),
    fromMs: Type.Optional(Ms),
    toMs: Type.Optional(Ms),
  },
  closed,
);

export const TurnReport = Type.Object(
  {
    turn: Count,
    source: Type.Union(
      (['voice', 'typed', 'greeting', 'silence', 'resumed', 'errand', 'later'] as const).map((source) =>
        Type.Literal(source),
      ),
    ),
    text: Type.String(),
    /** Whoever spoke, where it was not the caller. */
    by: Type.Optional(Type.String()),
    spoken: Type.String(),
    generated: Type.String(),
    heard: Type.String(),
    answered: Type.Boolean(),
    interrupted: Nullable(Type.String()),
    trouble: Nullable(Type.String()),
    estimated: Type.Boolean(),
    wait: Nullable(Wait),
    headStarts: Type.Object({ begun: Count, kept: Type.Boolean() }, closed),
    times: TurnTimes,
    gap: Nullable(Gap),
    flicker: Count,
    corrections: Count,
    /** Words that were put right by their sound, and what the engine had heard. */
    bySound: Type.Optional(Type.Array(Type.Object({ put: Type.String(), heard: Type.String() }, closed))),
    /** Engines that took over from others. */
    reliefs: Type.Array(Type.Object(relief, closed)),
    /** Errands that it was about, and how they stood after it. */
    errands: Type.Optional(
      Type.Array(Type.Object({ run: Count, errand: Type.String(), stage: ErrandStage }, closed)),
    ),
  },
  closed,
);

export const AnswerLength = Type.Union(ANSWER_LENGTHS.map((length) => Type.Literal(length)));

const State = Type.Union(
  (['resting', 'listening', 'working', 'answering'] as const).map((state) => Type.Literal(state)),
);

/** `wasted` is part of the cost, `saved` is not. */
export const CostSum = Type.Object(
  {
    currency: Type.String(),
    cost: Type.Number({ minimum: 0 }),
    wasted: Type.Number({ minimum: 0 }),
    saved: Type.Number({ minimum: 0 }),
  },
  closed,
);

export const LineupEntry = Type.Object(
  {
    role: EngineRole,
    engine: Type.String(),
    where: Type.Union([Type.Literal('on-machine'), Type.Literal('cloud')]),
    state: Type.Union([Type.Literal('ready'), Type.Literal('loading'), Type.Literal('down')]),
    why: Type.Optional(Type.String()),
  },
  closed,
);

export const serviceMessages = {
  admitted: message('admitted', {
    conversation: Type.String(),
    assistant: Nullable(Type.String()),
    recorded: Type.Boolean(),
    audio: Type.Object({ encoding: Type.Literal('s16le'), rateHz: Type.Integer() }, closed),
    lineup: Type.Array(LineupEntry),
    /** The languages it hears and speaks, BCP 47. */
    hears: Type.String(),
    speaks: Type.String(),
    floor: Floor,
    /** How the caller may interrupt: a line ducks by itself only where a voice may. */
    interrupt: Interrupt,
    /** What wakes it when it rests. */
    wake: Wake,
    /** To be shown beside "listening"; may be empty. */
    hint: Type.String(),
    /** With it a line that was lost goes on with this talk, within RESUME_MS. */
    token: Type.String(),
  }),
  /** The talk goes on; of what the line sent, `received` items had come. Never counted itself. */
  resumed: message('resumed', { received: Count }),
  state: message('state', { state: State }),
  voice: message('voice', {
    change: Type.Union([Type.Literal('began'), Type.Literal('ended')]),
    voiceMs: Ms,
  }),
  /** `by`: whoever speaks, where it is not the caller. */
  partial: message('partial', {
    turn: Count,
    by: Type.Optional(Type.String()),
    settled: Type.String(),
    open: Type.String(),
  }),
  final: message('final', {
    turn: Count,
    by: Type.Optional(Type.String()),
    recognition: Count,
    text: Type.String(),
    words: Type.Array(HeardWord),
    alternatives: Type.Array(Type.String()),
  }),
  unheard: message('unheard', {
    turn: Count,
    reason: Type.Union(
      (['silence', 'noise', 'no-words', 'echo'] as const).map((reason) => Type.Literal(reason)),
    ),
    why: Type.String(),
  }),
  answerLength: message('answerLength', { length: AnswerLength }),
  /** `after`: what was told of the answer from this character on is replaced. */
  reply: message('reply', { turn: Count, text: Type.String(), after: Type.Optional(Count) }),
  speech: message('speech', {
    turn: Count,
    speech: Count,
    text: Type.String(),
    words: Type.Array(WordTime),
    estimated: Type.Boolean(),
  }),
  duck: message('duck', {}),
  unduck: message('unduck', {}),
  hush: message('hush', {}),
  turn: message('turn', { report: TurnReport }),
  /** Another engine took over within the turn. */
  relieved: message('relieved', { turn: Count, ...relief }),
  swapped: message('swapped', { role: EngineRole, engine: Type.String() }),
  /** BCP 47. */
  languageSet: message('languageSet', { hears: Type.String(), speaks: Type.String() }),
  /** An engine asks that a person takes over. */
  handOver: message('handOver', {
    turn: Count,
    /** What the caller has said for it, by the names of its slots. */
    known: Type.Optional(Type.Record(Type.String(), Type.String())),
  }),
  /**
   * The line is a guest of the talk. `person`: who talks with the caller in the assistant's place; `known`:
   * what the caller has said for a person.
   */
  joined: message('joined', {
    conversation: Type.String(),
    /** Both sides' sound and words are kept, and those of guests. */
    recorded: Type.Boolean(),
    person: Nullable(Type.String()),
    known: Type.Record(Type.String(), Type.String()),
  }),
  /** A person talks with the caller in the assistant's place; null: the assistant does again. */
  person: message('person', { name: Nullable(Type.String()) }),
  /** How an errand stands: what its slots hold, and what is asked for. */
  errand: message('errand', {
    run: Count,
    errand: Type.String(),
    title: Type.String(),
    stage: ErrandStage,
    /** The caller still speaks: the slots tell what the words so far come to. */
    provisional: Type.Boolean(),
    asking: Nullable(Type.String()),
    slots: Type.Array(SlotState),
  }),
  /** The caller's screen is to open, show or fill something; the line answers with a `screen` of its own. */
  screen: message('screen', {
    run: Count,
    /** A function of the caller's page, by its name. */
    call: Type.Optional(Type.String()),
    open: Type.Optional(Type.String()),
    show: Type.Optional(Type.String()),
    fill: Type.Optional(Type.Record(Type.String(), Type.String())),
  }),
  /**
   * The caller's page may change this before it passes on; it answers with a `passed` of its own, before the
   * stage's deadline.
   */
  pass: message('pass', {
    call: Count,
    stage: Type.Union(STAGES.map((stage) => Type.Literal(stage))),
    ...passing,
  }),
  /** The caller's page is the model: it is to answer `text` by `piece`s and a `thought`. */
  think: message('think', {
    thought: Count,
    turn: Count,
    /** What the caller has said. */
    text: Type.String(),
    /** All that was said in this talk, and heard of the answers. */
    messages: Type.Array(PassedMessage),
    language: Type.String(),
  }),
  /** That answer is not wanted any more. */
  dropThought: message('dropThought', { thought: Count }),
  /** What the talk has cost so far, a sum for each currency. */
  spent: message('spent', { sums: Type.Array(CostSum) }),
  fresh: message('fresh', {}),
  trouble: message('trouble', {
    code: Type.String(),
    title: Type.String(),
    detail: Type.String(),
    remedy: Type.String(),
    fatal: Type.Optional(Type.Boolean()),
  }),
  farewell: message('farewell', { why: Type.String() }),
};
export type ServiceMessageKind = keyof typeof serviceMessages;
export type ServiceMessage = {
  [K in ServiceMessageKind]: Static<(typeof serviceMessages)[K]>;
}[ServiceMessageKind];
export type ServiceMessageOf<K extends ServiceMessageKind> = Static<(typeof serviceMessages)[K]>;
export type CostSum = Static<typeof CostSum>;
export type LineupEntry = Static<typeof LineupEntry>;
