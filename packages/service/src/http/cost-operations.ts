/** What talks and days cost; and swaps of engines and languages during a live talk. */
import type { Request } from 'express';
import { Type } from '@sinclair/typebox';
import { standingPrice, sumOf, withOther, type EngineRole, type Use } from '@verbalon/core';
import {
  CostQuery,
  DayCost,
  DaysQuery,
  LanguageRequest,
  SwapRequest,
  TalkCost,
  type EngineCost,
} from '@verbalon/protocol';
import { ProblemError } from '../problems.js';
import { callOf } from '../talk/call.js';
import type { HttpHost } from './host.js';
import { fromStore, idOf } from './conversation-operations.js';
import { bodyOf, queryOf, type Operation } from './operation.js';

const USUAL_DAYS = 30;
const DAY_MS = 86_400_000;

export function costOperations({ reader, engines, calls }: HttpHost): Operation[] {
  const standingOf = (engine: string, day: string): DayCost['standing'] => {
    const prices = engines.prices(engine);
    if (prices?.hour === undefined && prices?.month === undefined) return null;
    return { currency: prices.currency, cost: standingPrice(prices, day, new Date()) };
  };
  const goingOn = (request: Request) => {
    const id = idOf(request);
    const call = callOf(calls, id);
    if (!call) throw new ProblemError('talk-unknown', `${id} is not going on`);
    return call;
  };
  return [
    {
      method: 'get',
      path: '/v1/conversations/{id}/cost',
      id: 'readCost',
      scope: 'read',
      summary:
        'What a talk cost by engine and turn; with stt, llm or tts, what the same would have cost with those engines',
      query: CostQuery,
      answers: [{ type: 'application/json', schema: TalkCost }],
      handle: fromStore(async (request, response) => {
        const others = queryOf(request, CostQuery);
        const uses = await reader.uses(idOf(request));
        const turns = [...new Set(uses.map(({ turn }) => turn))];
        const asked = (['stt', 'llm', 'tts'] as const).filter((role) => others[role] !== undefined);
        const prices = Object.fromEntries(
          asked.map((role) => [role, engines.prices(engines.of(role, others[role]!).name)]),
        );
        const cost: TalkCost = {
          sums: sumOf(uses),
          engines: byEngine(uses),
          turns: turns.map((turn) => ({ turn, sums: sumOf(uses.filter((use) => use.turn === turn)) })),
          other: asked.length === 0 ? null : sumOf(withOther(uses, prices)),
        };
        response.json(cost);
      }),
    },
    {
      method: 'get',
      path: '/v1/costs',
      id: 'readCosts',
      scope: 'read',
      summary:
        'What engines were used for and cost, by day (UTC), with rent and plans of those that were used',
      query: DaysQuery,
      answers: [{ type: 'application/json', schema: Type.Array(DayCost) }],
      handle: fromStore(async (request, response) => {
        const { days } = queryOf(request, DaysQuery);
        const costs = await reader.dayCosts(new Date(Date.now() - (days ?? USUAL_DAYS) * DAY_MS));
        const rows = costs.map((one): DayCost => ({ ...one, standing: standingOf(one.engine, one.day) }));
        response.json(rows);
      }),
    },
    {
      method: 'post',
      path: '/v1/conversations/{id}/swap',
      id: 'swapEngine',
      scope: 'manage',
      summary: 'Another engine is to serve during a live talk, from the next segment, thought or phrase on',
      body: SwapRequest,
      answers: [{ type: 'application/json', schema: SwapRequest }],
      handle: (request: Request, response) => {
        const { role, engine } = bodyOf(request, SwapRequest);
        goingOn(request).session.swap(role, engine);
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
      handle: (request: Request, response) => {
        const wanted = bodyOf(request, LanguageRequest);
        goingOn(request).session.setLanguage(wanted);
        response.json(wanted);
      },
    },
  ];
}

function byEngine(uses: readonly Use[]): EngineCost[] {
  const names = [...new Set(uses.map(({ role, engine }) => `${role} ${engine}`))];
  return names.map((name) => {
    const its = uses.filter(({ role, engine }) => `${role} ${engine}` === name);
    const total = (key: 'requests' | 'audioMs' | 'characters' | 'tokensIn' | 'tokensOut') =>
      its.reduce((sum, use) => sum + use[key], 0);
    const [role, engine] = name.split(' ') as [EngineRole, string];
    return {
      engine,
      role,
      requests: total('requests'),
      audioMs: total('audioMs'),
      characters: total('characters'),
      tokensIn: total('tokensIn'),
      tokensOut: total('tokensOut'),
      sums: sumOf(its),
    };
  });
}
