/** The parts of a talk's shell that can be wrong by a sample. */
import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import fc from 'fast-check';
import { Axis } from '../src/talk/axis.js';
import { CallerSound } from '../src/talk/caller-sound.js';
import { HeardLane } from '../src/talk/heard-lane.js';
import { Pacer, type PacedFrame } from '../src/talk/pacer.js';

const ramp = (from: number, length: number) => Int16Array.from({ length }, (_, i) => from + i);

describe('the caller’s sound', () => {
  it('is put in order: what was there already is left out, what is missing becomes silence', () => {
    const sound = new CallerSound(16_000);
    expect([...sound.take(0, ramp(1, 4))!.samples]).toEqual([1, 2, 3, 4]);
    expect([...sound.take(2, ramp(3, 4))!.samples]).toEqual([5, 6]);
    expect(sound.take(0, ramp(1, 4))).toBeNull();
    const late = sound.take(8, ramp(9, 2))!;
    expect([...late.samples]).toEqual([0, 0, 9, 10]);
    expect(late).toMatchObject({ from: 6, missingMs: 0.125 });
    expect([...sound.since(0)]).toEqual([1, 2, 3, 4, 5, 6, 0, 0, 9, 10]);
  });

  it('keeps the last three seconds, whatever the frames', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 9_000 }), { minLength: 1, maxLength: 20 }), (sizes) => {
        const sound = new CallerSound(16_000);
        let at = 0;
        for (const size of sizes) {
          sound.take(
            at,
            Int16Array.from({ length: size }, (_, i) => (at + i) % 1_000),
          );
          at += size;
        }
        const kept = sound.since(0);
        expect(kept.length).toBe(Math.min(at, 48_000));
        expect(kept.every((sample, i) => sample === (at - kept.length + i) % 1_000)).toBe(true);
      }),
      { numRuns: 30, seed: 1 },
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
  let clock = 0;
  let sent: PacedFrame[] = [];
  let pacer: Pacer;
  const sentMs = () => sent.reduce((sum, { samples }) => sum + samples.length, 0) / 16;
  const pass = (ms: number) => {
    for (let i = 0; i < ms; i += 20) {
      clock += 20;
      jest.advanceTimersByTime(20);
    }
  };
  beforeEach(() => {
    jest.useFakeTimers();
    clock = 0;
    sent = [];
    pacer = new Pacer(
      16_000,
      () => clock,
      (frame) => sent.push(frame),
    );
  });
  afterEach(() => void jest.useRealTimers());

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
