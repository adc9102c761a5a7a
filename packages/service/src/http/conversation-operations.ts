/** Stored conversations. */
import type { Request, Response } from 'express';
import { Type } from '@sinclair/typebox';
import { cuesOf, replay, webVtt, type Manners } from '@verbalon/core';
import {
  check,
  Conversation,
  ConversationSummary,
  Id,
  JournalEntry,
  MannersFile,
  PageQuery,
  Replayed,
} from '@verbalon/protocol';
import { captionsOf } from '../database/captions.js';
import { ProblemError } from '../problems.js';
import type { HttpHost } from './app.js';
import { bodyOf, queryOf, type Operation } from './operation.js';

export function conversationOperations({ reader }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/conversations',
      id: 'listConversations',
      summary: 'Conversations, newest first',
      query: PageQuery,
      answers: [{ type: 'application/json', schema: Type.Array(ConversationSummary) }],
      example: { query: { limit: 5 } },
      handle: fromStore(async (request, response) => {
        const { limit, offset } = queryOf(request, PageQuery);
        response.json(await reader.list(limit ?? 50, offset ?? 0));
      }),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}',
      id: 'readConversation',
      summary: 'Its turns, each with its words, its times and what was heard',
      answers: [{ type: 'application/json', schema: Conversation }],
      handle: fromStore(async (request, response) => response.json(await reader.one(idOf(request)))),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}/journal',
      id: 'readJournal',
      summary: 'Every happening and every order, with its reason',
      answers: [{ type: 'application/json', schema: Type.Array(JournalEntry) }],
      handle: fromStore(async (request, response) => response.json(await reader.journal(idOf(request)))),
    },
    {
      method: 'post',
      path: '/v1/conversations/{id}/replay',
      id: 'replayConversation',
      summary: 'Its turns once more with other manners: what would have changed in turn-taking',
      body: MannersFile,
      answers: [{ type: 'application/json', schema: Replayed }],
      handle: fromStore(async (request, response) => {
        const manners = bodyOf(request, MannersFile);
        response.json(replay(await reader.journal(idOf(request)), manners as Partial<Manners>));
      }),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}/audio.wav',
      id: 'readConversationAudio',
      summary: 'Both sides on one axis of time: the caller left, what was heard of the assistant right',
      answers: [{ type: 'audio/wav' }],
      handle: fromStore(async (request, response) =>
        sendInParts(request, response.type('audio/wav'), await reader.sound(idOf(request))),
      ),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}/captions.vtt',
      id: 'readCaptions',
      summary: 'Both sides’ words as WebVTT',
      answers: [{ type: 'text/vtt' }],
      handle: fromStore(async (request, response) => {
        const sides = captionsOf(await reader.journal(idOf(request)));
        response.type('text/vtt').send(webVtt(sides.flatMap(({ who, words }) => cuesOf(words, who))));
      }),
    },
  ];
}

/** Whole, or the part that a player asks for (RFC 9110, section 14): else it could not jump. */
function sendInParts(request: Request, response: Response, bytes: Uint8Array): void {
  response.set('accept-ranges', 'bytes');
  const asked = request.range(bytes.length, { combine: true });
  const part = Array.isArray(asked) && asked.type === 'bytes' && asked.length === 1 ? asked[0]! : null;
  if (!part) return void response.send(Buffer.from(bytes));
  response
    .status(206)
    .set('content-range', `bytes ${part.start}-${part.end}/${bytes.length}`)
    .send(Buffer.from(bytes.subarray(part.start, part.end + 1)));
}

export function idOf(request: Request): string {
  const { id } = request.params;
  if (!check(Id, id).ok)
    throw new ProblemError('conversation-unknown', `"${String(id)}" is not the id of a conversation`);
  return id as string;
}

/** Whatever the database says that is no problem of ours means that it is away. */
export function fromStore(handle: (request: Request, response: Response) => Promise<unknown>) {
  return async (request: Request, response: Response) => {
    try {
      await handle(request, response);
    } catch (error) {
      if (error instanceof ProblemError) throw error;
      const cause = error instanceof Error ? (error.cause ?? error) : error;
      throw new ProblemError(
        'store-away',
        cause instanceof Error ? cause.message || 'the connection was refused' : String(cause),
      );
    }
  };
}
