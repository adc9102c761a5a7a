/** What is changed in a talk that goes on: engines and languages. */
import type { Request } from 'express';
import { LanguageRequest, SwapRequest } from '@verbalon/protocol';
import { EXAMPLE_IDS } from './example-ids.js';
import { idOf } from './conversation-operations.js';
import type { HttpHost } from './host.js';
import { bodyOf, type Operation } from './operation.js';

export function liveTalkOperations({ talks }: HttpHost): Operation[] {
  return [
    {
      method: 'post',
      path: '/v1/conversations/{id}/swap',
      id: 'swapEngine',
      scope: 'manage',
      summary: 'Another engine is to serve during a live talk, from the next segment, thought or phrase on',
      body: SwapRequest,
      answers: [{ type: 'application/json', schema: SwapRequest }],
      example: { path: { id: EXAMPLE_IDS.liveTalk }, body: { role: 'llm', engine: 'echo' } },
      handle: (request: Request, response) => {
        const { role, engine } = bodyOf(request, SwapRequest);
        talks.swap(idOf(request), role, engine);
        response.json({ role, engine });
      },
    },
    {
      method: 'post',
      path: '/v1/conversations/{id}/language',
      id: 'setLanguage',
      scope: 'manage',
      summary: 'The assistant is to hear, or to answer in, another language during a live talk',
      body: LanguageRequest,
      answers: [{ type: 'application/json', schema: LanguageRequest }],
      example: { path: { id: EXAMPLE_IDS.liveTalk }, body: { speaks: 'en' } },
      handle: (request: Request, response) => {
        const wanted = bodyOf(request, LanguageRequest);
        talks.setLanguage(idOf(request), wanted);
        response.json(wanted);
      },
    },
  ];
}
