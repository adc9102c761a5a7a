/** What the service's HTTP answers look like. */
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
