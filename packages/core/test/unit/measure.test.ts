/** What engines cost, and word errors beside NIST sclite. */
import { describe, expect, it } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { NOTHING_USED, priceOf, standingPrice, sumOf, withOther, type Use } from '../../src/measure/cost.js';
import { alignWords, countErrors, wordErrors } from '../../src/measure/word-errors.js';

describe('cost', () => {
  it('is what was used, above what is included', () => {
    const prices = {
      currency: 'EUR',
      audioMinute: 0.02,
      millionTokensIn: 1,
      millionTokensOut: 4,
      request: 0.001,
    };
    expect(priceOf(prices, { ...NOTHING_USED, audioMs: 90_000, requests: 1 })).toBeCloseTo(0.031);
    expect(priceOf(prices, { ...NOTHING_USED, tokensIn: 1_000, tokensOut: 500 })).toBeCloseTo(0.003);
    const included = { ...prices, month: { price: 9, audioMinutes: 10 } };
    const before = { ...NOTHING_USED, audioMs: 9 * 60_000 };
    expect(priceOf(included, { ...NOTHING_USED, audioMs: 180_000 }, before)).toBeCloseTo(0.04);
  });

  it('of a day counts rent by the hour and a plan by its share of the month', () => {
    const prices = { currency: 'EUR', hour: 0.5, month: { price: 9 } };
    const noon = new Date('2026-11-23T12:00:00Z');
    expect(standingPrice(prices, '2026-11-22', noon)).toBeCloseTo(12.3);
    expect(standingPrice(prices, '2026-11-23', noon)).toBeCloseTo(6.3);
    expect(standingPrice({ ...prices, hour: undefined }, '2026-02-01', noon)).toBeCloseTo(9 / 28);
  });

  it('adds to the same whatever the order, and never over currencies', () => {
    const use = fc.record({
      currency: fc.constantFrom('EUR', 'USD', null),
      cost: fc.nat(1_000),
      wasted: fc.boolean(),
    });
    fc.assert(
      fc.property(fc.array(use), (all) => {
        const uses = all.map(({ currency, cost, wasted }): Use => ({
          ...NOTHING_USED,
          role: 'llm',
          engine: 'x',
          currency,
          cost,
          waste: wasted ? 'cancelled' : null,
          saved: 0,
        }));
        const [a, b] = [sumOf(uses), sumOf([...uses].reverse())];
        expect(new Map(a.map((one) => [one.currency, one]))).toEqual(
          new Map(b.map((one) => [one.currency, one])),
        );
        for (const { currency, cost, wasted } of a) {
          expect(cost).toBe(
            uses.filter((one) => one.currency === currency).reduce((sum, one) => sum + one.cost!, 0),
          );
          expect(wasted).toBeLessThanOrEqual(cost);
        }
      }),
    );
  });

  it('tells what the same would have cost elsewhere', () => {
    const use: Use = {
      ...NOTHING_USED,
      tokensIn: 1e6,
      role: 'llm',
      engine: 'a',
      cost: 5,
      currency: 'EUR',
      waste: null,
      saved: 0,
    };
    expect(sumOf(withOther([use], { llm: { currency: 'EUR', millionTokensIn: 2 } }))).toMatchObject([
      { cost: 2 },
    ]);
    expect(sumOf(withOther([use], { llm: null }))).toEqual([]);
  });
});

it('word errors agree with NIST sclite on the same pairs', () => {
  const words = ['the', 'path', 'hut', 'open', 'is', 'to', 'two', 'heron'];
  const texts = fc.sample(
    fc.tuple(
      fc.array(fc.constantFrom(...words), { minLength: 1, maxLength: 12 }),
      fc.array(fc.constantFrom(...words), { maxLength: 12 }),
    ),
    { numRuns: 200, seed: 3 },
  );
  const folder = mkdtempSync(join(tmpdir(), 'verbalon-sclite-'));
  const trn = (side: 0 | 1) => texts.map((pair, i) => `${pair[side].join(' ')} (s_${i})\n`).join('');
  writeFileSync(join(folder, 'ref'), trn(0));
  writeFileSync(join(folder, 'hyp'), trn(1));
  const run = spawnSync(
    'sctk',
    ['sclite', '-r', 'ref', 'trn', '-h', 'hyp', 'trn', '-i', 'rm', '-o', 'pralign', 'stdout'],
    { cwd: folder, encoding: 'utf8' },
  );
  const scores = [
    ...run.stdout.matchAll(/id: \(s_(\d+)\)\nScores: \(#C #S #D #I\) (\d+) (\d+) (\d+) (\d+)/g),
  ];
  expect(scores).toHaveLength(texts.length);
  for (const [, id, , substituted, deleted, inserted] of scores) {
    const ours = wordErrors(...texts[Number(id)]!);
    expect({ id, ...ours }).toMatchObject({
      substituted: Number(substituted),
      deleted: Number(deleted),
      inserted: Number(inserted),
    });
  }
  expect(countErrors(alignWords(['a', 'b'], ['a', 'x', 'b']))).toMatchObject({ words: 2, inserted: 1 });
});
