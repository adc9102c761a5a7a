/** What talks and days cost. */
import { Type } from '@sinclair/typebox';
import { standingPrice, sumOf, withOther, type EngineRole, type Use } from '@verbalon/core';
import { CostQuery, DayCost, DaysQuery, TalkCost, type EngineCost } from '@verbalon/protocol';
import { EXAMPLE_IDS } from './example-ids.js';
import type { HttpHost } from './host.js';
import { fromStore, idOf } from './conversation-operations.js';
import { queryOf, type Operation } from './operation.js';

const USUAL_DAYS = 30;
const DAY_MS = 86_400_000;

export function costOperations({ reader, engines }: HttpHost): Operation[] {
  const standingOf = (engine: string, day: string): DayCost['standing'] => {
    const prices = engines.prices(engine);
    if (prices?.hour === undefined && prices?.month === undefined) return null;
    return { currency: prices.currency, cost: standingPrice(prices, day, new Date()) };
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
      example: { path: { id: EXAMPLE_IDS.talk }, query: { tts: 'voice' } },
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
      example: { query: { days: 7 } },
      handle: fromStore(async (request, response) => {
        const { days } = queryOf(request, DaysQuery);
        const costs = await reader.dayCosts(new Date(Date.now() - (days ?? USUAL_DAYS) * DAY_MS));
        const rows = costs.map((one): DayCost => ({ ...one, standing: standingOf(one.engine, one.day) }));
        response.json(rows);
      }),
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
