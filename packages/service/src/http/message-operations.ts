/** Messages of errands, waiting and gone, and whom they may go to. */
import { Type } from '@sinclair/typebox';
import {
  ChangeMessageRequest,
  ContactSummary,
  MessagesQuery,
  MessageSummary,
  OccasionAnswer,
} from '@verbalon/protocol';
import type { MessageWithDeliveries } from '../database/message-store.js';
import { ProblemError } from '../problems/problems.js';
import { EXAMPLE_IDS } from './example-ids.js';
import { fromStore } from './conversation-operations.js';
import type { HttpHost } from './host.js';
import { bodyOf, queryOf, type Operation } from './operation.js';

const USUAL_LIMIT = 50;

export function messageOperations({ project, messages }: HttpHost): Operation[] {
  /** @throws ProblemError `message-unknown`, `message-gone` */
  const whileWaiting = async (id: string, work: () => Promise<boolean>): Promise<void> => {
    const known = await messages.get(id);
    if (!known) throw new ProblemError('message-unknown', `there is no message "${id}"`);
    if (!(await work()))
      throw new ProblemError('message-gone', `it is ${(await messages.get(id))?.state ?? 'gone'}`);
  };
  return [
    {
      method: 'get',
      path: '/v1/messages',
      id: 'listMessages',
      scope: 'read',
      summary: 'Messages of errands, the newest first, with how each stands for each recipient',
      query: MessagesQuery,
      answers: [{ type: 'application/json', schema: Type.Array(MessageSummary) }],
      example: { query: { limit: 5 } },
      handle: fromStore(async (request, response) => {
        const { limit = USUAL_LIMIT, state } = queryOf(request, MessagesQuery);
        response.json((await messages.list({ state, most: limit })).map(messageSummary));
      }),
    },
    {
      method: 'post',
      path: '/v1/messages/{id}/withdraw',
      id: 'withdrawMessage',
      scope: 'manage',
      summary: 'It does not go; only while it waits',
      answers: [],
      example: { path: { id: EXAMPLE_IDS.message } },
      handle: fromStore(async ({ params }, response) => {
        const id = String(params.id);
        await whileWaiting(id, () => messages.withdraw(id));
        response.status(204).end();
      }),
    },
    {
      method: 'post',
      path: '/v1/messages/{id}/change',
      id: 'changeMessage',
      scope: 'manage',
      summary: 'Another text, or another time; only while it waits',
      body: ChangeMessageRequest,
      answers: [],
      example: { path: { id: EXAMPLE_IDS.message }, body: { text: 'Supper is at seven.' } },
      handle: fromStore(async (request, response) => {
        const { text, dueAt } = bodyOf(request, ChangeMessageRequest);
        const id = String(request.params.id);
        await whileWaiting(id, () =>
          messages.change(id, {
            ...(text === undefined ? {} : { text }),
            ...(dueAt === undefined ? {} : { dueAt: new Date(dueAt) }),
          }),
        );
        response.status(204).end();
      }),
    },
    {
      method: 'post',
      path: '/v1/occasions/{name}',
      id: 'tellOccasion',
      scope: 'manage',
      summary: 'Something has happened: messages that wait for it go now',
      answers: [{ type: 'application/json', schema: OccasionAnswer }],
      example: { path: { name: 'snow' } },
      handle: fromStore(async ({ params }, response) => {
        response.json({ messages: await messages.happened(String(params.name)) });
      }),
    },
    {
      method: 'get',
      path: '/v1/contacts',
      id: 'listContacts',
      scope: 'read',
      summary: 'Whom messages may go to: people and lists',
      answers: [{ type: 'application/json', schema: Type.Array(ContactSummary) }],
      example: {},
      handle: (_request, response) => {
        const { people, lists } = project.errands.contacts;
        const all: ContactSummary[] = [
          ...people.map(({ key, name, also, ways }) => ({
            key,
            name,
            also: [...also],
            ways: { ...ways },
            of: [],
          })),
          ...lists.map(({ key, name, also, of }) => ({ key, name, also: [...also], ways: {}, of: [...of] })),
        ];
        response.json(all);
      },
    },
  ];
}

function messageSummary({
  id,
  errand,
  assistant,
  conversation,
  sender,
  subject,
  text,
  state,
  dueAt,
  occasion,
  writtenAt,
  deliveries,
}: MessageWithDeliveries): MessageSummary {
  return {
    id,
    errand,
    assistant,
    conversation,
    sender,
    subject,
    text,
    state,
    dueAt: dueAt?.toISOString() ?? null,
    occasion,
    at: writtenAt.toISOString(),
    deliveries: deliveries.map(({ contact, name, state: how, way, attempts, why }) => ({
      contact,
      name,
      state: how,
      way,
      attempts,
      why,
    })),
  };
}
