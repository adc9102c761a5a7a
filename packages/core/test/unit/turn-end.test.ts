/** How probable it is that a turn is over. */
import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  cheapestShare,
  END_FEATURES,
  pauseLawOf,
  playTalk,
  probabilityAfter,
  probabilityOfEnd,
} from '../../src/index.js';
import type { Completeness } from '../../src/language/common/contract.js';
import {
  featuresOf,
  lengtheningOf,
  pauseUntil,
  UNKNOWN_END,
  type EndEvidence,
} from '../../src/turn-end/probability.js';
import { planned } from './stage.js';

/** So complete the words seem, -1 to 1. */
const said = (score: number): Completeness => ({ score, sign: { sign: 'fewWords' } });
const EVIDENCE: EndEvidence = {
  words: said(0),
  count: 5,
  lastedMs: 1_500,
  expects: true,
  expected: null,
  confidence: 0.9,
  ending: { moveSt: 0, placeSt: 0 },
  uncoveredMs: 0,
  lengthening: 1,
};
const chance = (more: Partial<EndEvidence>) => probabilityOfEnd(featuresOf({ ...EVIDENCE, ...more }));
const share = fc.double({ min: 0, max: 1, noNaN: true });

describe('what speaks for the end', () => {
  const whole = { whole: true, begun: false, more: false };
  it.each<[string, Partial<EndEvidence>, Partial<EndEvidence>]>([
    ['complete words more than incomplete ones', { words: said(0.8) }, { words: said(-0.8) }],
    [
      'an expected phrase more than one that has begun',
      { expected: whole },
      { expected: { whole: false, begun: true, more: false } },
    ],
    [
      'complete words that were surely understood more than the same hardly understood',
      { words: said(0.8), confidence: 0.95 },
      { words: said(0.8), confidence: 0.5 },
    ],
    ['a last word that was drawn out more than one that was not', { lengthening: 2 }, { lengthening: 0.8 }],
    [
      'words that cover the voice more than words that lag',
      { words: said(0.5) },
      { words: said(0.5), uncoveredMs: 700 },
    ],
  ])('%s', (_, more, less) => {
    expect(chance(more)).toBeGreaterThan(chance(less));
  });

  it('is weighed within bounds, whatever was measured', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -1, max: 1, noNaN: true }),
        fc.double({ min: -60, max: 60, noNaN: true }),
        fc.nat(100_000),
        (score, st, uncoveredMs) => {
          const features = featuresOf({
            ...EVIDENCE,
            words: said(score),
            ending: { moveSt: st, placeSt: -st },
            uncoveredMs,
          });
          expect(features).toHaveLength(Object.keys(END_FEATURES).length);
          for (const one of features) expect(Math.abs(one)).toBeLessThanOrEqual(1);
        },
      ),
    );
  });
});

describe('the last word', () => {
  const word = (text: string, fromMs: number, toMs: number) => ({ word: text, fromMs, toMs });
  const before = [word('is', 0, 100), word('it', 100, 200)];
  it.each<[string, Parameters<typeof lengtheningOf>, number | null]>([
    ['lasts as long as the others', [[...before, word('open', 200, 400)], 400], 1],
    ['lasts twice as long', [[...before, word('open', 200, 600)], 600], 2],
    ['ends with the voice, whatever recognition says', [[...before, word('open', 200, 2_000)], 400], 1],
    [
      'is measured against words without the pause in one of them',
      [[word('is', 0, 2_000), word('it', 2_000, 2_200), word('open', 2_200, 2_600)], 2_600],
      0.5,
    ],
    ['tells nothing among few words', [before, 200], null],
    [
      'tells nothing where no word has a length',
      [[word('is', 0, 0), word('it', 0, 0), word('', 0, 0)], 0],
      null,
    ],
  ])('%s', (_, given, expected) => {
    expect(lengtheningOf(...given)).toEqual(expected);
  });

  it('is never weighed as anything but a number', () => {
    const ms = fc.nat(100_000);
    const any = fc.record({ word: fc.string({ maxLength: 3 }), fromMs: ms, toMs: ms });
    fc.assert(
      fc.property(fc.array(any, { maxLength: 6 }), ms, (words, endMs) => {
        for (const one of featuresOf({ ...EVIDENCE, lengthening: lengtheningOf(words, endMs) }))
          expect(Math.abs(one)).toBeLessThanOrEqual(1);
      }),
    );
  });
});

describe('while a pause lasts', () => {
  it('the turn grows ever more probably over', () => {
    fc.assert(
      fc.property(share, fc.nat(5_000), fc.nat(5_000), (atFirst, oneMs, moreMs) => {
        const law = pauseLawOf([]);
        const later = probabilityAfter(atFirst, oneMs + moreMs, law);
        expect(later).toBeGreaterThanOrEqual(probabilityAfter(atFirst, oneMs, law));
        expect(later).toBeLessThanOrEqual(1);
      }),
    );
  });

  it('a caller who pauses long is given longer, the more so the more often it was seen', () => {
    const medians = [[], [1_200], [1_200, 1_200, 1_200]].map((own) => pauseLawOf(own).medianMs);
    expect(medians).toEqual([...medians].sort((a, b) => a - b));
    expect(medians[2]).toBeLessThan(1_200);
  });
});

describe('what is decided by it', () => {
  const probability = fc.double({ min: 0.001, max: 0.999, noNaN: true });

  it('waits the shorter the more probable the end is, and longer for whoever pauses long', () => {
    fc.assert(
      fc.property(probability, probability, (one, other) => {
        const [less, more] = [Math.min(one, other), Math.max(one, other)];
        expect(cheapestShare(more, pauseLawOf([]))).toBeLessThanOrEqual(cheapestShare(less, pauseLawOf([])));
        expect(cheapestShare(one, pauseLawOf([1_500, 1_500]))).toBeGreaterThan(
          cheapestShare(one, pauseLawOf([])),
        );
      }),
    );
    expect(cheapestShare(UNKNOWN_END, pauseLawOf([]))).toBeCloseTo(1);
  });

  it('knows when a pause has made the end so probable', () => {
    fc.assert(
      fc.property(probability, probability, (atFirst, wanted) => {
        const ms = pauseUntil(atFirst, wanted, pauseLawOf([]));
        const then = probabilityAfter(atFirst, ms, pauseLawOf([]));
        expect(then).toBeCloseTo(Math.max(atFirst, wanted), 6);
      }),
    );
    expect(pauseUntil(0.99, 1, pauseLawOf([]))).toBe(Infinity);
  });
});

it('whoever watches a played talk sees what each wait was weighed by, and the report tells how probable the end was', () => {
  const said = (text: string) =>
    text.split(' ').map((word, i) => ({ word, fromMs: 300 + 250 * i, toMs: 500 + 250 * i, confidence: 0.9 }));
  const words = said('is the path open today');
  const ending = { moveSt: -2, placeSt: -2 };
  const voiced = { voicedMs: 1_200, pitchedMs: 900 };
  const heard = {
    lengthMs: 6_000,
    events: [
      { atMs: 320, event: { kind: 'voiceBegan' as const, atMs: 300 } },
      { atMs: 1_600, event: { kind: 'voicePaused' as const, atMs: 1_500, ending, ...voiced } },
      { atMs: 1_780, event: { kind: 'voiceEnded' as const, atMs: 1_500, ...voiced } },
    ],
    stretches: [{ partials: [{ atMs: 1_450, words }], final: words }],
  };
  const seen: (readonly number[])[] = [];
  const { orders } = playTalk(planned({ speaksFirst: 'caller', firstWordMs: 0 }), heard, {
    reply: ['Yes.'],
    watch: ({ turn }) => {
      if (turn?.stage.at === 'paused' && turn.stage.wait?.features) seen.push(turn.stage.wait.features);
    },
  });
  expect(seen.length).toBeGreaterThan(0);
  expect(seen.at(-1)).toHaveLength(Object.keys(END_FEATURES).length);
  const [report] = orders.flatMap(({ order }) =>
    order.kind === 'tell' && order.message.kind === 'turn' ? [order.message.report] : [],
  );
  expect(report?.wait).toMatchObject({ probability: expect.any(Number) });
  expect(report?.wait).not.toHaveProperty('features');
});
