/** The parts of a talk's shell that can be wrong by a sample. */
import { beforeEach, describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { HOUSE_RATE_HZ, KEPT_SOUND, NOTHING_USED } from '@verbalon/core';
import { Ledger } from '../../src/engines/ledger.js';
import { Capacity } from '../../src/talk/call/capacity.js';
import { Axis } from '../../src/talk/session/axis.js';
import { CallerSound } from '../../src/talk/session/caller-sound.js';
import { HeardLane } from '../../src/talk/session/heard-lane.js';
import { Pacer, type PacedFrame } from '../../src/talk/session/pacer.js';
import { PhraseStore } from '../../src/talk/session/phrase-store.js';
import { Spending } from '../../src/talk/session/spending.js';
import { freshFolder } from '../../../../testing/service.js';
import { VirtualClock } from '../../../../testing/virtual-clock.js';

const ramp = (from: number, length: number) => Int16Array.from({ length }, (_, i) => from + i);

describe('the caller’s sound', () => {
  it('is put in order: what was there already is left out, what is missing becomes silence', () => {
    const sound = new CallerSound(16_000);
    const take = (from: number, samples: Int16Array) => {
      const arrival = sound.take(from, samples);
      if (arrival) sound.keep(arrival.samples);
      return arrival;
    };
    expect([...take(0, ramp(1, 4))!.samples]).toEqual([1, 2, 3, 4]);
    expect([...take(2, ramp(3, 4))!.samples]).toEqual([5, 6]);
    expect(take(0, ramp(1, 4))).toBeNull();
    const late = take(8, ramp(9, 2))!;
    expect([...late.samples]).toEqual([0, 0, 9, 10]);
    expect(late).toMatchObject({ from: 6, missingMs: 0.125 });
    expect([...sound.between(0, null)]).toEqual([1, 2, 3, 4, 5, 6, 0, 0, 9, 10]);
  });

  it('keeps its axis over a hole of any length: what is long is only counted', () => {
    for (const rateHz of [8_000, 16_000, 44_100, 48_000]) {
      const sound = new CallerSound(rateHz);
      sound.take(0, ramp(1, rateHz));
      const hour = 3_600 * rateHz;
      const late = sound.take(hour, ramp(1, rateHz))!;
      expect(late.missingMs).toBeCloseTo(3_599_000, 0);
      // Ten seconds of silence, then what came, where it was captured.
      expect(late.samples.length / HOUSE_RATE_HZ).toBeCloseTo(11, 1);
      expect((late.from + late.samples.length) / HOUSE_RATE_HZ).toBeCloseTo(3_601, 1);
      expect(late.skipped % 320).toBe(0);
      sound.keep(new Int16Array(HOUSE_RATE_HZ));
      sound.skip(late.skipped);
      sound.keep(late.samples);
      expect(sound.between(3_600_500, 3_600_600)).toHaveLength(HOUSE_RATE_HZ / 10);
    }
  });

  it('keeps the last minute, whatever the frames', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 180_000 }), { minLength: 1, maxLength: 20 }),
        (sizes) => {
          const sound = new CallerSound(16_000);
          let at = 0;
          for (const size of sizes) {
            const samples = Int16Array.from({ length: size }, (_, i) => (at + i) % 1_000);
            sound.keep(sound.take(at, samples)!.samples);
            at += size;
          }
          const kept = sound.between(0, null);
          expect(kept.length).toBe(Math.min(at, 960_000));
          expect(kept.every((sample, i) => sample === (at - kept.length + i) % 1_000)).toBe(true);
        },
      ),
      { numRuns: 8, seed: 1 },
    );
  });

  it('sets the axis by the frame that came with the least delay', () => {
    let clock = 1_000;
    const axis = new Axis(() => clock);
    clock = 1_060;
    axis.learn(20);
    expect(axis.nowMs()).toBe(20);
    clock = 1_075;
    axis.learn(40);
    expect(axis.nowMs()).toBe(40);
    clock = 1_200;
    axis.learn(60);
    expect(axis.nowMs()).toBe(165);
    // The microphone stalls for four seconds: soon afterwards the axis stands where the microphone does.
    for (let captured = 80; captured < 3_000; captured += 20) {
      clock = 5_200 + captured;
      axis.learn(captured);
    }
    expect(axis.nowMs()).toBe(2_980);
  });
});

describe('what the caller heard', () => {
  it('is put where it sounded, once, and jitter of a few ms moves nothing', () => {
    const lane = new HeardLane();
    lane.add(7, ramp(0, 3_200));
    expect(lane.played(7, 100, 1_100)).toEqual({ firstSample: 16_000, samples: ramp(0, 1_600) });
    expect(lane.played(7, 150, 1_153)).toEqual({ firstSample: 17_600, samples: ramp(1_600, 800) });
    expect(lane.played(7, 150, 1_160)).toBeNull();
    // After a hole of 200 ms in the playing the rest sounds later.
    expect(lane.played(7, 200, 1_400)).toEqual({ firstSample: 21_600, samples: ramp(2_400, 800) });
    expect(lane.played(8, 100, 1_000)).toBeNull();
  });
});

describe('pacing', () => {
  let clock: VirtualClock;
  let sent: PacedFrame[] = [];
  let pacer: Pacer;
  const sentMs = () => sent.reduce((sum, { samples }) => sum + samples.length, 0) / 16;
  const pass = (ms: number) => clock.pass(ms);
  beforeEach(() => {
    clock = new VirtualClock();
    sent = [];
    pacer = new Pacer(16_000, clock, (frame) => sent.push(frame));
  });

  it('sends at most 600 ms ahead of what was played', () => {
    pacer.play(1);
    pacer.add(1, ramp(0, 32_000), true);
    expect(sentMs()).toBe(600);
    pass(500);
    expect(sentMs()).toBeLessThanOrEqual(1_100);
    expect(sentMs()).toBeGreaterThan(1_000);
    pass(2_000);
    expect(sentMs()).toBe(2_000);
    expect(sent.at(-1)!.last).toBe(true);
    expect(sent.filter(({ last }) => last)).toHaveLength(1);
  });

  it('sends every sample once, in order, over phrases that come in parts', () => {
    pacer.play(1);
    pacer.add(1, ramp(0, 500), false);
    pacer.play(2);
    pacer.add(2, ramp(0, 300), true);
    pacer.add(1, ramp(500, 301), true);
    pass(400);
    for (const speech of [1, 2]) {
      const frames = sent.filter((frame) => frame.speech === speech);
      expect(frames.flatMap(({ samples }) => [...samples])).toEqual([...ramp(0, speech === 1 ? 801 : 300)]);
      frames.reduce((at, { firstSample, samples }) => (expect(firstSample).toBe(at), at + samples.length), 0);
    }
    expect(sent.map(({ speech }) => speech)).toEqual([...sent.map(({ speech }) => speech)].sort());
  });

  it('sends nothing more after a stop, and begins anew with the next phrase', () => {
    pacer.play(1);
    pacer.add(1, ramp(0, 32_000), true);
    pacer.stop();
    const before = sent.length;
    pass(1_000);
    expect(sent).toHaveLength(before);
    pacer.play(2);
    pacer.add(2, ramp(0, 3_200), true);
    pass(40);
    expect(sent.slice(before).every(({ speech }) => speech === 2)).toBe(true);
  });
});

describe('kept phrases', () => {
  const said = (text: string) => ({ text, language: 'en', voice: {} });
  const sound = (length: number) => [{ kind: 'audio' as const, samples: ramp(1, length), words: null }];

  it('are found by engine, voice and text, and the longest unused go first when there are too many', () => {
    const store = new PhraseStore(5_000);
    store.keep('a', said('one'), sound(1_000));
    store.keep('a', said('two'), sound(1_000));
    expect(store.find('b', said('one'))).toBeNull();
    expect(store.find('a', { ...said('one'), voice: { rate: 1.2 } })).toBeNull();
    expect(store.find('a', said('one'))!.samples).toHaveLength(1_000);
    store.keep('a', said('three'), sound(1_000));
    expect(store.find('a', said('two'))).toBeNull();
    expect(store.find(KEPT_SOUND, said('two'))).toBeNull();
    expect(store.find(KEPT_SOUND, said('one'))).not.toBeNull();
  });

  it('that are kept for good never give way', () => {
    const store = new PhraseStore(3_000, join(freshFolder(), 'phrases'));
    store.keepForGood('a', said('I am sorry.'), sound(1_000));
    for (let i = 0; i < 5; i++) store.keep('a', said(`one ${i}`), sound(500));
    expect(store.find(KEPT_SOUND, said('I am sorry.'))).not.toBeNull();
    expect(store.find('a', said('one 0'))).toBeNull();
  });

  it('that are kept for good are there after a start without any voice; a broken file is left out', () => {
    const folder = join(freshFolder(), 'phrases');
    const first = new PhraseStore(undefined, folder);
    first.keepForGood('a', said('I am sorry.'), sound(800));
    first.keepForGood('a', said('Goodbye.'), sound(400));
    first.keep('a', said('Four bunks.'), sound(600));
    const broken = readdirSync(folder).filter((name) => name.endsWith('.json'))[0]!;
    const text = (JSON.parse(readFileSync(join(folder, broken), 'utf8')) as { text: string }).text;
    writeFileSync(join(folder, broken), '{"key":');
    const second = new PhraseStore(undefined, folder);
    const found = ['I am sorry.', 'Goodbye.', 'Four bunks.'].filter((one) =>
      second.find(KEPT_SOUND, said(one)),
    );
    expect(found).toEqual(['I am sorry.', 'Goodbye.'].filter((one) => one !== text));
    expect([...second.find(KEPT_SOUND, said(found[0]!))!.samples.subarray(0, 3)]).toEqual([1, 2, 3]);
    rmSync(dirname(folder), { recursive: true });
  });
});

describe('the money of a talk', () => {
  it('is booked once: what earlier turns cost stands in the day already, and each warning comes once', () => {
    const ledger = new Ledger({ month: [], today: [] }, () => new Date('2026-11-23T12:00:00Z'));
    const said: string[] = [];
    const spending = new Spending({
      prices: () => ({ currency: 'EUR', request: 1 }),
      usedBefore: (engine) => ledger.usedThisMonth(engine),
      spentToday: () => ledger.spentToday('tansy', 'EUR'),
      budget: { currency: 'EUR', day: 5, warnAt: 0.6 },
      keep: (uses) =>
        uses.forEach((use) =>
          ledger.book({ ...use, assistant: 'tansy', at: new Date('2026-11-23T11:59:00Z') }),
        ),
      warn: (detail) => said.push(`near: ${detail}`),
      usedUp: (detail) => said.push(`used up: ${detail}`),
    });
    for (let turn = 0; turn < 6; turn++) {
      spending.add('llm', 'mind', { requests: 1 }, null);
      spending.closeTurn(turn);
    }
    expect(ledger.spentToday('tansy', 'EUR')).toBe(6);
    expect(ledger.usedThisMonth('mind').requests).toBe(6);
    expect(said).toEqual([
      'near: 3.0000 of 5 EUR for a day are spent',
      'used up: 5.0000 of 5 EUR for a day are spent',
    ]);
    spending.add('tts', 'voice', { characters: 20, requests: 1 }, null, true);
    expect(spending.sums()).toEqual([{ currency: 'EUR', cost: 6, wasted: 0, saved: 1 }]);
  });
});

describe('what was running when the caller left', () => {
  it('is booked when it says what it has used, as waste where it was', () => {
    const kept: [string | null, number | null][] = [];
    const spending = new Spending({
      prices: () => ({ currency: 'EUR', request: 1 }),
      usedBefore: () => NOTHING_USED,
      spentToday: () => 0,
      budget: { currency: 'EUR', talk: 1 },
      keep: (uses, turn) => uses.forEach(({ waste }) => kept.push([waste, turn])),
      warn: () => undefined,
      usedUp: () => kept.push(['used up', null]),
    });
    spending.close();
    spending.add('llm', 'mind', { tokensIn: 20, tokensOut: 3, requests: 1 }, 'cancelled');
    expect(kept).toEqual([['cancelled', null]]);
  });
});

describe('capacity', () => {
  it('lets in what is measured to fit, more or fewer as talks turn out to cost', () => {
    let talks = 0;
    const capacity = new Capacity({ talks: () => talks });
    const usual = capacity.most;
    expect(usual).toBeGreaterThanOrEqual(30);
    talks = usual;
    expect(capacity.full()).toMatch(/talks go on, and no more fit; come again in 10 s/);
    for (let i = 0; i < 40; i++) capacity.learn(0.2);
    expect(capacity.most).toBeGreaterThan(2 * usual);
    expect(capacity.full()).toBeNull();
    for (let i = 0; i < 40; i++) capacity.learn(1);
    expect(capacity.most).toBeLessThanOrEqual(usual);
    expect(capacity.full()).not.toBeNull();
    for (talks = 10; capacity.most > 8;) capacity.learn(1);
    // A busy machine lets a few in all the same, and what dear talks cost is forgotten when they are over.
    talks = 0;
    expect(capacity.full()).toBeNull();
    for (let i = 0; i < 200; i++) capacity.learn(1);
    expect(capacity.most).toBe(usual);
    capacity.stop();
    expect(new Capacity({ talks: () => 3, most: 3 }).full()).not.toBeNull();
  });

  it('learns nothing of talks while many arrive, and lets nobody in while the machine is busy', () => {
    const capacity = new Capacity({ talks: () => 20 });
    const usual = capacity.most;
    const arrive = (many: number) => {
      for (let i = 0; i < many; i++) expect(capacity.full()).toBeNull();
    };
    for (let i = 0; i < 9; i++) {
      arrive(5);
      capacity.learn(0.8);
    }
    expect(capacity.most).toBe(usual);
    // Where many always arrive it learns all the same, and a few change nothing.
    arrive(5);
    capacity.learn(0.8);
    const learned = capacity.most;
    expect(learned).toBeLessThan(usual);
    arrive(2);
    capacity.learn(0.2);
    expect(capacity.most).toBeGreaterThan(learned);
    for (let i = 0; i < 40; i++) capacity.learn(0.1);
    for (let i = 0; i < 12; i++) {
      // A moment alone is nothing.
      if (i < 8) arrive(5);
      capacity.learn(1);
    }
    expect(capacity.most).toBeGreaterThan(20);
    expect(capacity.full()).not.toBeNull();
    for (let i = 0; i < 5; i++) capacity.learn(0.3);
    arrive(1);
    capacity.stop();
  });
});
