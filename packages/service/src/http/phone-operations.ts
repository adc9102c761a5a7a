/** The telephone: how it stands, its calls, ringing somebody, hanging up. */
import { NewCall, PhoneCallView, PhoneView } from '@verbalon/protocol';
import type { Visitor } from '../access/visitor.js';
import { EXAMPLE_IDS } from './example-ids.js';
import type { HttpHost } from './host.js';
import { bodyOf, type Operation } from './operation.js';

export function phoneOperations({ telephone }: HttpHost): Operation[] {
  return [
    {
      method: 'get',
      path: '/v1/phone',
      id: 'getPhone',
      scope: 'read',
      summary: 'Where it can be rung, its registrations, and its calls with their stages, the newest first',
      answers: [{ type: 'application/json', schema: PhoneView }],
      example: {},
      handle: (_request, response) => void response.json(telephone.view),
    },
    {
      method: 'post',
      path: '/v1/calls',
      id: 'ring',
      scope: 'manage',
      summary: 'Rings somebody, says this first, and then talks',
      body: NewCall,
      answers: [{ type: 'application/json', schema: PhoneCallView }],
      example: {
        body: { to: 'sip:warden@127.0.0.1:5066', say: 'The water at Heron Hut is out.', keys: '12#' },
      },
      handle: async (request, response) => {
        const call = await telephone.phone.ring(bodyOf(request, NewCall), response.locals.visitor as Visitor);
        response.json(call);
      },
    },
    {
      method: 'get',
      path: '/v1/calls/{id}',
      id: 'getCall',
      scope: 'read',
      summary: 'A telephone call with its stages',
      answers: [{ type: 'application/json', schema: PhoneCallView }],
      example: { path: { id: EXAMPLE_IDS.call } },
      handle: ({ params }, response) => void response.json(telephone.phone.call(String(params.id))),
    },
    {
      method: 'delete',
      path: '/v1/calls/{id}',
      id: 'hangUp',
      scope: 'manage',
      summary: 'Hangs up',
      answers: [{ type: 'application/json', schema: PhoneCallView }],
      example: { path: { id: EXAMPLE_IDS.call } },
      handle: ({ params }, response) => {
        const { who } = response.locals.visitor as Visitor;
        response.json(telephone.phone.hangUp(String(params.id), who));
      },
    },
  ];
}
