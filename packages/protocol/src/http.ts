/** What goes in and out of the service over HTTP; the OpenAPI document is made from these. */
import { Type, type Static, type TProperties } from '@sinclair/typebox';
import { Caller, Floor } from './caller-messages.js';
import { Prices } from './engine-card.js';
import { HeardWord } from './passing.js';
import { AnswerLength, LineupEntry, Nullable, TurnReport } from './service-messages.js';
import { closed, Count, Name } from './names.js';

/** Where a service is, unless it is told otherwise. */
export const DEFAULT_PORT = 7464;

const object = <P extends TProperties>(properties: P) => Type.Object(properties, closed);
const Ms = Type.Number({ minimum: 0, description: 'milliseconds' });
const Time = Type.String({ description: 'ISO 8601' });
const Text = Type.String();

/** RFC 9457, with a stable code and a remedy. */
export const Problem = object({
  type: Text,
  title: Text,
  status: Count,
  detail: Text,
  code: Text,
  remedy: Text,
  /** Of a file: where it is wrong, from 1. */
  line: Type.Optional(Count),
});

export const AssistantSummary = object({
  name: Text,
  title: Text,
  greeting: Text,
  hint: Text,
  language: Text,
  floor: Floor,
  recorded: Type.Boolean(),
  isDefault: Type.Boolean(),
  /** Nothing of its sound and words leaves the machine. */
  stay: Type.Optional(Type.Literal('on-machine')),
  lineup: Type.Array(LineupEntry),
});

/**
 * Files that can be edited: many of a kind in a folder of its name, lexicons beside the assistants, and
 * project.yaml (by the name `project`).
 */
export const EDITABLE_KINDS = ['assistants', 'engines', 'answers', 'errands', 'lexicons', 'project'] as const;
export const EditableKind = Type.Union(EDITABLE_KINDS.map((one) => Type.Literal(one)));
export const FileSummary = object({
  kind: EditableKind,
  name: Text,
  /** It cannot be used as it is; the last good one is in use in the meantime. */
  broken: Type.Boolean(),
});
/**
 * A file of the project, as it is on disk. `path`: from the project's folder on; `problem`: why it cannot be
 * used.
 */
export const ProjectText = object({
  kind: EditableKind,
  name: Text,
  path: Text,
  text: Text,
  problem: Nullable(Problem),
});
export const RenameRequest = object({ to: Name });
/** What a new file may begin as. */
export const Shape = object({
  kind: EditableKind,
  name: Text,
  /** What it is for, in a few words. */
  title: Text,
  text: Text,
});

/** Something to be said of a file. `stops`: assistants that nobody can talk to because of it. */
export const Finding = object({
  file: Text,
  line: Nullable(Count),
  grade: Type.Union([Type.Literal('error'), Type.Literal('note')]),
  detail: Text,
  stops: Type.Array(Text),
});
export const ProjectState = object({
  title: Text,
  findings: Type.Array(Finding),
  /** What has changed and takes effect when the service is started again. */
  restarts: Type.Array(Text),
});

export const RecordingSummary = object({ name: Text, title: Text, transcript: Text, durationMs: Ms });

const conversation = {
  id: Text,
  assistant: Nullable(Text),
  line: Text,
  startedAt: Time,
  endedAt: Nullable(Time),
  /** How it ended; null while it goes on. */
  ending: Nullable(Text),
  turns: Count,
  recorded: Type.Boolean(),
};
export const ConversationSummary = object(conversation);
export const Conversation = object({
  ...conversation,
  /** What was promised of where its words and sound go. */
  stay: Nullable(Type.Literal('on-machine')),
  /** The key, or the page token's, with which the caller came; null where the service was open. */
  admittedBy: Nullable(Text),
  /** Who talked, as the line said, where talks are recorded; `callerSure`: somebody with a key said so. */
  caller: Nullable(Caller),
  callerSure: Type.Boolean(),
  reports: Type.Array(TurnReport),
  /** Stretches of sound or journal that could not be kept. */
  gaps: Type.Array(object({ what: Text, fromMs: Type.Number(), toMs: Type.Number() })),
});

/** One happening or order; `body` is the thing itself. */
export const JournalEntry = object({
  index: Count,
  atMs: Type.Number(),
  side: Type.Union([Type.Literal('happening'), Type.Literal('order')]),
  kind: Text,
  body: Type.Unknown(),
});

/** How a turn was taken, or would be with other manners. */
const Taken = object({
  waitMs: Nullable(Type.Number()),
  reason: Text,
  cutOffs: Count,
  headStarts: object({ begun: Count, kept: Type.Boolean() }),
  gapMs: Nullable(Type.Number()),
});
/** A stored talk taken once more. `difference`: null when with its own manners every order is the same. */
export const Replayed = object({
  difference: Nullable(Text),
  turns: Type.Array(
    object({
      turn: Count,
      text: Text,
      voiceBeganMs: Type.Number(),
      voiceEndedMs: Type.Number(),
      was: Taken,
      wouldBe: Taken,
    }),
  ),
});

export const EngineSummary = object({
  name: Text,
  title: Text,
  role: LineupEntry.properties.role,
  where: LineupEntry.properties.where,
  languages: Type.Array(Text),
  state: LineupEntry.properties.state,
  why: Type.Optional(Text),
  region: Type.Optional(Text),
  prices: Type.Optional(Prices),
  /** The middle of its last times to the first answer; null before it was used. */
  usualFirstMs: Nullable(Ms),
  /** Why it is left alone for a while; null when it is used. */
  resting: Nullable(Text),
  /** An assistant names it: others are made ready when they are tried. */
  used: Type.Boolean(),
});

export const VoiceSummary = object({
  engine: Text,
  name: Text,
  languages: Type.Array(Text),
  /** Assistants that speak with it. */
  usedBy: Type.Array(Text),
});

/** One stretch of speech of a recording. */
export const TranscribedSegment = object({
  fromMs: Ms,
  toMs: Ms,
  text: Text,
  spoken: Text,
  words: Type.Array(HeardWord),
});
export const Transcript = object({
  assistant: Text,
  engine: Text,
  text: Text,
  spoken: Text,
  durationMs: Ms,
  tookMs: Ms,
  segments: Type.Array(TranscribedSegment),
});
/** The lines of a transcription as it goes on (application/x-ndjson). */
export const TranscriptionEvent = Type.Union([
  object({ kind: Type.Literal('progress'), heardMs: Ms, ofMs: Nullable(Ms) }),
  object({ kind: Type.Literal('segment'), segment: TranscribedSegment }),
  object({ kind: Type.Literal('done'), transcript: Transcript }),
  object({ kind: Type.Literal('trouble'), problem: Problem }),
]);
export const TranscribeQuery = object({
  assistant: Type.Optional(Text),
  /** Other ears than the assistant’s. */
  engine: Type.Optional(Text),
  format: Type.Optional(
    Type.Union((['json', 'text', 'vtt', 'events'] as const).map((one) => Type.Literal(one))),
  ),
});

/** What comes of an exchange, in the order in which it comes; `pcm16`: base64 of 16-bit samples at 16 kHz. */
export const ExchangeEvent = Type.Union([
  object({ kind: Type.Literal('understood'), text: Text, atMs: Ms }),
  object({ kind: Type.Literal('answer'), text: Text, atMs: Ms }),
  object({ kind: Type.Literal('sound'), text: Text, pcm16: Text, atMs: Ms }),
  object({ kind: Type.Literal('done'), conversation: Text, understood: Text, answer: Text, tookMs: Ms }),
]);
const exchanged = { conversation: Text, understood: Text, answer: Text, tookMs: Ms };
/** `speech`: a WAV file in base64. */
export const Exchanged = object({ ...exchanged, speech: Text });
export const ExchangeQuery = object({
  assistant: Type.Optional(Text),
  /** Of an exchange before, to go on with it. */
  conversation: Type.Optional(Text),
  format: Type.Optional(Type.Union((['json', 'parts', 'events'] as const).map((one) => Type.Literal(one)))),
});

/** The most characters that are said aloud at once. */
export const MOST_ALOUD_CHARACTERS = 20_000;
export const AloudRequest = object({
  /** Another engine than the assistant’s. */
  engine: Type.Optional(Text),
  text: Type.String({ minLength: 1, maxLength: MOST_ALOUD_CHARACTERS }),
  assistant: Type.Optional(Text),
  /** A voice of the assistant's engine; its own by default. */
  voice: Type.Optional(Text),
  rate: Type.Optional(Type.Number({ minimum: 0.5, maximum: 2 })),
  pitchHz: Type.Optional(Type.Number({ minimum: 50, maximum: 400 })),
  volume: Type.Optional(Type.Number({ minimum: 0.05, maximum: 4 })),
});

export const AskRequest = object({
  text: Type.String({ minLength: 1, maxLength: 4_000, pattern: '\\S' }),
  assistant: Type.Optional(Text),
  /** Another model than the assistant’s. */
  engine: Type.Optional(Text),
  /** An earlier question, or exchange, that this one continues. */
  conversation: Type.Optional(Text),
  /** What was said before, oldest first; not beside `conversation`. */
  messages: Type.Optional(
    Type.Array(
      object({
        role: Type.Union([Type.Literal('caller'), Type.Literal('assistant')]),
        text: Type.String({ maxLength: 20_000 }),
      }),
      {
        maxItems: 200,
      },
    ),
  ),
  answerLength: Type.Optional(AnswerLength),
});
export const AskAnswer = object({
  assistant: Text,
  /** With it the next question continues this one. */
  conversation: Text,
  engine: Text,
  text: Text,
  firstPieceMs: Ms,
  tookMs: Ms,
});

/** Whether callers can be served now: the default assistant's readiness, and each one's by itself. */
const Readiness = { ready: Type.Boolean(), waitingFor: Type.Array(Text) };
export const ReadyAnswer = object({
  ...Readiness,
  assistants: Type.Array(object({ name: Text, ...Readiness })),
});

/** What `GET /v1/conversations` takes. */
export const PageQuery = object({
  limit: Type.Optional(Type.Integer({ minimum: 1, maximum: 500 })),
  offset: Type.Optional(Type.Integer({ minimum: 0, maximum: 1_000_000 })),
});

/** The id of a conversation. */
export const Id = Type.String({ pattern: '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' });

export type Problem = Static<typeof Problem>;
export type ReadyAnswer = Static<typeof ReadyAnswer>;
export type AssistantSummary = Static<typeof AssistantSummary>;
export type EditableKind = Static<typeof EditableKind>;
export type FileSummary = Static<typeof FileSummary>;
export type ProjectText = Static<typeof ProjectText>;
export type Shape = Static<typeof Shape>;
export type ExchangeEvent = Static<typeof ExchangeEvent>;
export type Exchanged = Static<typeof Exchanged>;
export type Finding = Static<typeof Finding>;
export type ProjectState = Static<typeof ProjectState>;
export type RecordingSummary = Static<typeof RecordingSummary>;
export type ConversationSummary = Static<typeof ConversationSummary>;
export type Conversation = Static<typeof Conversation>;
export type JournalEntry = Static<typeof JournalEntry>;
export type Replayed = Static<typeof Replayed>;
export type EngineSummary = Static<typeof EngineSummary>;
export type VoiceSummary = Static<typeof VoiceSummary>;
export type TranscribedSegment = Static<typeof TranscribedSegment>;
export type Transcript = Static<typeof Transcript>;
export type TranscriptionEvent = Static<typeof TranscriptionEvent>;
export type AloudRequest = Static<typeof AloudRequest>;
export type AskRequest = Static<typeof AskRequest>;
export type AskAnswer = Static<typeof AskAnswer>;
