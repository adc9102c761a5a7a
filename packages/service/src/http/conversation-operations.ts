/** Stored conversations. */
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Request, Response } from 'express';
import { Type } from '@sinclair/typebox';
import { captionsOf, cuesOf, JOURNAL_VERSION, webVtt, type Manners } from '@verbalon/core';
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
import { asked } from '../database/store.js';
import { TalkSound } from '../database/talk-sound.js';
import { ProblemError } from '../problems/problems.js';
import { EXAMPLE_IDS } from './example-ids.js';
import type { HttpHost } from './host.js';
import { bodyOf, queryOf, type Operation } from './operation.js';

export function conversationOperations({ reader, background }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/conversations',
      id: 'listConversations',
      scope: 'read',
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
      scope: 'read',
      summary: 'Its turns, each with its words, its times and what was heard',
      answers: [{ type: 'application/json', schema: Conversation }],
      example: { path: { id: EXAMPLE_IDS.talk } },
      handle: fromStore(async (request, response) => response.json(await reader.one(idOf(request)))),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}/journal',
      id: 'readJournal',
      scope: 'read',
      summary: 'Every happening and every order, with its reason',
      answers: [{ type: 'application/json', schema: Type.Array(JournalEntry) }],
      example: { path: { id: EXAMPLE_IDS.talk } },
      handle: fromStore(async (request, response) =>
        response.json((await reader.journal(idOf(request))).entries),
      ),
    },
    {
      method: 'post',
      path: '/v1/conversations/{id}/replay',
      id: 'replayConversation',
      scope: 'read',
      summary: 'Its turns once more with other manners: what would have changed in turn-taking',
      body: MannersFile,
      answers: [{ type: 'application/json', schema: Replayed }],
      example: { path: { id: EXAMPLE_IDS.talk }, body: { leewayMs: 900 } },
      handle: fromStore(async (request, response) => {
        const manners = bodyOf(request, MannersFile);
        const { entries, version } = await reader.journal(idOf(request));
        response.json(
          version === JOURNAL_VERSION
            ? await background.do('replay', entries, manners as Partial<Manners>)
            : {
                difference: `its journal was kept by another version (${version}) and cannot be replayed`,
                turns: [],
              },
        );
      }),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}/audio.wav',
      id: 'readConversationAudio',
      scope: 'read',
      summary: 'Both sides on one axis of time: the caller left, what was heard of the assistant right',
      answers: [{ type: 'audio/wav' }],
      example: { path: { id: EXAMPLE_IDS.talk } },
      handle: fromStore(async (request, response) =>
        sendInParts(request, response, await reader.sound(idOf(request))),
      ),
    },
    {
      method: 'get',
      path: '/v1/conversations/{id}/captions.vtt',
      id: 'readCaptions',
      scope: 'read',
      summary: 'Both sides’ words as WebVTT',
      answers: [{ type: 'text/vtt' }],
      example: { path: { id: EXAMPLE_IDS.talk } },
      handle: fromStore(async (request, response) => {
        const sides = captionsOf((await reader.journal(idOf(request))).entries);
        response.type('text/vtt').send(webVtt(sides.flatMap(({ who, words }) => cuesOf(words, who))));
      }),
    },
  ];
}

/**
 * Whole, or the part that a player asks for (RFC 9110, section 14): else it could not jump. Only that part is
 * read.
 */
async function sendInParts(request: Request, response: Response, sound: TalkSound): Promise<void> {
  const length = await sound.length();
  const size = TalkSound.wavBytes(length);
  response.type('audio/wav').set('accept-ranges', 'bytes');
  const asked = request.range(size, { combine: true });
  if (asked === -1) return void response.status(416).set('content-range', `bytes */${size}`).end();
  const part = Array.isArray(asked) && asked.type === 'bytes' && asked.length === 1 ? asked[0]! : null;
  const { start, end } = part ?? { start: 0, end: size - 1 };
  if (part) response.status(206).set('content-range', `bytes ${start}-${end}/${size}`);
  response.set('content-length', String(end + 1 - start));
  await pipeline(Readable.from(sound.wav(length, start, end + 1)), response).catch((error: unknown) => {
    // Whoever asked has enough, or has gone.
    if (!response.destroyed) throw error;
  });
}

export function idOf(request: Request): string {
  const { id } = request.params;
  if (!check(Id, id).ok)
    throw new ProblemError('conversation-unknown', `"${String(id)}" is not the id of a conversation`);
  return id as string;
}

/** What only the database can be the reason of is told as such; any other error is a fault of ours. */
export function fromStore(handle: (request: Request, response: Response) => Promise<unknown>) {
  return (request: Request, response: Response) => asked(() => handle(request, response));
}
