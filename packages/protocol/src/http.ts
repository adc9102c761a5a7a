/** What the service's HTTP answers look like. */
import { Type } from '@sinclair/typebox';
import type { LineupEntry, ServiceMessageOf } from './service-messages.js';

/** RFC 9457, with a stable code and a remedy. */
export interface Problem {
  type: string;
  title: string;
  status: number;
  detail: string;
  code: string;
  remedy: string;
}

export interface AssistantSummary {
  name: string;
  title: string;
  greeting: string;
  recorded: boolean;
  isDefault: boolean;
  lineup: LineupEntry[];
}

export interface RecordingSummary {
  name: string;
  title: string;
  transcript: string;
  durationMs: number;
}

export interface ConversationSummary {
  id: string;
  assistant: string | null;
  line: string;
  startedAt: string;
  endedAt: string | null;
  /** How it ended; null while it goes on. */
  ending: string | null;
  turns: number;
}

export interface Conversation extends ConversationSummary {
  reports: ServiceMessageOf<'turn'>['report'][];
  /** Stretches of sound or journal that could not be kept. */
  gaps: { what: string; fromMs: number; toMs: number }[];
}

/** One happening or order; `body` is the thing itself. */
export interface JournalEntry {
  index: number;
  atMs: number;
  /** `happening` or `order`. */
  side: 'happening' | 'order';
  kind: string;
  body: unknown;
}

export interface EngineSummary {
  name: string;
  title: string;
  role: LineupEntry['role'];
  where: LineupEntry['where'];
  languages: readonly string[];
  state: LineupEntry['state'];
  why?: string;
}

/** What `GET /v1/conversations` takes. */
export const PageQuery = Type.Object(
  {
    limit: Type.Optional(Type.Integer({ minimum: 1, maximum: 500 })),
    offset: Type.Optional(Type.Integer({ minimum: 0, maximum: 1_000_000 })),
  },
  { additionalProperties: false },
);

/** The id of a conversation. */
export const Id = Type.String({ pattern: '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' });
