/** Tables. Migrations are made from this file: `npx drizzle-kit generate` in packages/service. */
import {
  bigint,
  bigserial,
  boolean,
  customType,
  doublePrecision,
  index,
  integer,
  jsonb,
  pgTable,
  text,
  timestamp,
  uniqueIndex,
  uuid,
} from 'drizzle-orm/pg-core';
import type { EngineRole, RunEnding, SlotValue, Stay, Waste } from '@verbalon/core';
import { sql } from 'drizzle-orm';
import type {
  Caller,
  DeliveryState,
  MessageState,
  Scope,
  ServiceMessageOf,
  TalkLimits,
  Tryout,
} from '@verbalon/protocol';

const bytea = customType<{ data: Buffer }>({ dataType: () => 'bytea' });

export const conversations = pgTable(
  'conversations',
  {
    id: uuid('id').primaryKey(),
    /** The service that holds, or held, the talk. */
    service: text('service').notNull(),
    assistant: text('assistant'),
    line: text('line').notNull(),
    recorded: boolean('recorded').notNull(),
    /** What was promised of where the talk's words and sound go. */
    stay: text('stay').$type<Stay>(),
    startedAt: timestamp('started_at', { withTimezone: true }).notNull(),
    endedAt: timestamp('ended_at', { withTimezone: true }),
    /** Of what form its journal is: JOURNAL_VERSION when it was written. */
    journalVersion: integer('journal_version').notNull().default(1),
    ending: text('ending'),
    /**
     * The key, or the page token's key or origin, with which the caller came; null where the service is open.
     */
    admittedBy: text('admitted_by'),
    /** Who talked, as far as the line said; `callerSure`: a page token or a key said so. */
    caller: jsonb('caller').$type<Caller>(),
    callerSure: boolean('caller_sure'),
  },
  (table) => [index('conversations_by_start').on(table.startedAt)],
);

const conversation = () => uuid('conversation').notNull();

export const turns = pgTable(
  'turns',
  {
    row: bigserial('row', { mode: 'number' }).primaryKey(),
    conversation: conversation(),
    report: jsonb('report').$type<ServiceMessageOf<'turn'>['report']>().notNull(),
  },
  (table) => [index('turns_by_conversation').on(table.conversation)],
);

export const journal = pgTable(
  'journal',
  {
    row: bigserial('row', { mode: 'number' }).primaryKey(),
    conversation: conversation(),
    index: integer('index').notNull(),
    atMs: doublePrecision('at_ms').notNull(),
    side: text('side').$type<'happening' | 'order'>().notNull(),
    kind: text('kind').notNull(),
    body: jsonb('body').notNull(),
  },
  (table) => [index('journal_by_conversation').on(table.conversation, table.index)],
);

export const audio = pgTable(
  'audio',
  {
    row: bigserial('row', { mode: 'number' }).primaryKey(),
    conversation: conversation(),
    side: text('side').$type<'caller' | 'assistant'>().notNull(),
    /** On the caller's axis, at HOUSE_RATE_HZ. */
    firstSample: bigint('first_sample', { mode: 'number' }).notNull(),
    samples: bytea('samples').notNull(),
  },
  (table) => [index('audio_by_place').on(table.conversation, table.firstSample)],
);

/** What engines were used for, one row a request. */
export const uses = pgTable(
  'uses',
  {
    row: bigserial('row', { mode: 'number' }).primaryKey(),
    conversation: conversation(),
    assistant: text('assistant').notNull(),
    /** The turn's id; null for what came after the last one. */
    turn: integer('turn'),
    at: timestamp('at', { withTimezone: true }).notNull(),
    role: text('role').$type<EngineRole>().notNull(),
    engine: text('engine').notNull(),
    audioMs: doublePrecision('audio_ms').notNull(),
    characters: integer('characters').notNull(),
    tokensIn: integer('tokens_in').notNull(),
    tokensOut: integer('tokens_out').notNull(),
    requests: integer('requests').notNull(),
    cost: doublePrecision('cost'),
    currency: text('currency'),
    waste: text('waste').$type<Waste>(),
    saved: doublePrecision('saved').notNull(),
  },
  (table) => [index('uses_by_conversation').on(table.conversation), index('uses_by_time').on(table.at)],
);

/** Errands that were done, tried or left. */
export const runs = pgTable(
  'runs',
  {
    /** The conversation and the run's number in it: it goes out as the key of what is done. */
    id: text('id').primaryKey(),
    conversation: conversation(),
    run: integer('run').notNull(),
    /** The service that did it. */
    service: text('service').notNull(),
    errand: text('errand').notNull(),
    assistant: text('assistant').notNull(),
    slots: jsonb('slots').$type<Record<string, SlotValue>>().notNull(),
    state: text('state').$type<RunEnding | 'doing'>().notNull(),
    /** An outcome of the errand's own. */
    code: text('code'),
    given: jsonb('given').$type<Readonly<Record<string, string>>>(),
    begunAt: timestamp('begun_at', { withTimezone: true }).notNull(),
    endedAt: timestamp('ended_at', { withTimezone: true }),
  },
  (table) => [index('runs_by_time').on(table.begunAt), index('runs_by_conversation').on(table.conversation)],
);

/** Messages of errands: one a run. Each goes to its recipients by deliveries. */
export const messages = pgTable(
  'messages',
  {
    /** The id of the run that sent the message. */
    id: text('id').primaryKey(),
    service: text('service').notNull(),
    conversation: uuid('conversation').notNull(),
    assistant: text('assistant').notNull(),
    errand: text('errand').notNull(),
    /** Who sent it, as far as the line says: empty where it does not. */
    sender: text('sender').notNull(),
    /** The keys of contacts and lists that were named. */
    recipients: text('recipients').notNull(),
    subject: text('subject').notNull(),
    text: text('text').notNull(),
    state: text('state').$type<MessageState>().notNull(),
    /** When it goes; null for one that waits until something happens. */
    dueAt: timestamp('due_at', { withTimezone: true }),
    occasion: text('occasion'),
    writtenAt: timestamp('written_at', { withTimezone: true }).notNull(),
    /** That it did not arrive was told to its sender. */
    toldAt: timestamp('told_at', { withTimezone: true }),
  },
  (table) => [index('messages_by_time').on(table.writtenAt)],
);

export const deliveries = pgTable(
  'deliveries',
  {
    id: uuid('id').primaryKey(),
    message: text('message').notNull(),
    service: text('service').notNull(),
    contact: text('contact').notNull(),
    /** As it is said. */
    name: text('name').notNull(),
    state: text('state').$type<DeliveryState>().notNull(),
    /** The way on which it is, or went. */
    way: text('way').notNull(),
    attempts: integer('attempts').notNull(),
    /** What hindered it last. */
    why: text('why').notNull(),
    changedAt: timestamp('changed_at', { withTimezone: true }).notNull(),
  },
  (table) => [index('deliveries_by_message').on(table.message)],
);

/** The same recordings, or texts, through several engines. */
export const tryouts = pgTable('tryouts', {
  id: uuid('id').primaryKey(),
  at: timestamp('at', { withTimezone: true }).notNull(),
  role: text('role').$type<EngineRole>().notNull(),
  result: jsonb('result').$type<Tryout>().notNull(),
});

/** What a person says was really said in a recorded turn. */
export const corrections = pgTable(
  'corrections',
  {
    row: bigserial('row', { mode: 'number' }).primaryKey(),
    conversation: conversation(),
    turn: integer('turn').notNull(),
    text: text('text').notNull(),
  },
  (table) => [index('corrections_by_conversation').on(table.conversation)],
);

/** Batches of rows that were written, so that none is written twice. */
export const batches = pgTable(
  'batches',
  {
    id: uuid('id').primaryKey(),
    at: timestamp('at', { withTimezone: true }).notNull().defaultNow(),
  },
  (table) => [index('batches_by_time').on(table.at)],
);

/** What could not be kept while the database was away. */
export const gaps = pgTable(
  'gaps',
  {
    row: bigserial('row', { mode: 'number' }).primaryKey(),
    conversation: conversation(),
    what: text('what').notNull(),
    fromMs: doublePrecision('from_ms').notNull(),
    toMs: doublePrecision('to_ms').notNull(),
  },
  (table) => [index('gaps_by_conversation').on(table.conversation)],
);

/** Keys: what is kept of one does not open anything. */
export const keys = pgTable(
  'keys',
  {
    id: text('id').primaryKey(),
    name: text('name').notNull(),
    scopes: text('scopes').array().$type<Scope[]>().notNull(),
    /** Of its secret, by scrypt (RFC 7914). */
    hash: bytea('hash').notNull(),
    salt: bytea('salt').notNull(),
    limits: jsonb('limits').$type<TalkLimits>().notNull(),
    madeAt: timestamp('made_at', { withTimezone: true }).notNull(),
    expiresAt: timestamp('expires_at', { withTimezone: true }),
    revokedAt: timestamp('revoked_at', { withTimezone: true }),
    /** Revoked, but what was begun with it may go on. */
    letFinish: boolean('let_finish').notNull().default(false),
    usedAt: timestamp('used_at', { withTimezone: true }),
  },
  (table) => [
    uniqueIndex('keys_by_name')
      .on(table.name)
      .where(sql`revoked_at is null`),
  ],
);

/** What was given out for a while: page tokens, and the sessions of the console. */
export const passes = pgTable(
  'passes',
  {
    id: text('id').primaryKey(),
    kind: text('kind').$type<'page' | 'visit'>().notNull(),
    /** SHA-256 of its secret, which is long and random. */
    hash: bytea('hash').notNull(),
    /** The key it was got with; null for a page whose assistant names its origin. */
    key: text('key'),
    until: timestamp('until', { withTimezone: true }).notNull(),
    assistant: text('assistant'),
    origins: text('origins').array().notNull(),
    caller: jsonb('caller').$type<Caller>(),
    /** Talks that it still opens. */
    talks: integer('talks').notNull(),
  },
  (table) => [index('passes_by_time').on(table.until)],
);

/** How many talks a key, an address or an assistant has had in a day (UTC). */
export const talkDays = pgTable('talk_days', {
  /** Whose, and the day. */
  id: text('id').primaryKey(),
  talks: integer('talks').notNull(),
});

/** What was done with which key. */
export const audit = pgTable(
  'audit',
  {
    row: bigserial('row', { mode: 'number' }).primaryKey(),
    at: timestamp('at', { withTimezone: true }).notNull(),
    who: text('who').notNull(),
    address: text('address').notNull(),
    what: text('what').notNull(),
    about: text('about').notNull(),
    status: integer('status').notNull(),
  },
  (table) => [index('audit_by_time').on(table.at)],
);
