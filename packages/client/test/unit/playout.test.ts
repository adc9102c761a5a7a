import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { LocalDuck } from '../../src/local-duck.js';
import { Playout, type PlayedReport } from '@verbalon/core';
import { noise, voice } from '../../../../testing/voices.js';

const RATE = 16_000;

function make(): { playout: Playout; reports: PlayedReport[] } {
  const reports: PlayedReport[] = [];
  return { playout: new Playout(RATE, (report) => reports.push(report)), reports };
}

const frame = (epoch: number, length: number, last = false, value = 8_192) => ({
  epoch,
  last,
  samples: new Int16Array(length).fill(value),
});

describe('playing', () => {
  it('plays speeches one after the other, and says what was played where the axis stood', () => {
    const { playout, reports } = make();
    playout.add(frame(1, 480, true));
    playout.add(frame(2, 320, true, 16_384));
    const first = playout.pull(640, 10_000);
    expect([first[0], first[479], first[480], first[639]]).toEqual([0.25, 0.25, 0.5, 0.5]);
    expect(reports).toEqual([
      { speech: 1, sample: 480, capture: 10_480 },
      { speech: 2, sample: 160, capture: 10_640 },
    ]);
    const second = playout.pull(640, 10_640);
    expect([second[159], second[160]]).toEqual([0.5, 0]);
    expect(reports.at(-1)).toEqual({ speech: 2, sample: 320, capture: 10_800 });
    expect(playout.busy).toBe(false);
  });

  it('says that a speech is over also when its end comes without sound', () => {
    const { playout, reports } = make();
    playout.add(frame(1, 320));
    playout.pull(320, 0);
    playout.add(frame(1, 0, true));
    playout.pull(320, 320);
    expect(reports.at(-1)).toEqual({ speech: 1, sample: 320, capture: 320 });
  });

  it('a flush plays nothing more and says exactly how much was played', () => {
    const { playout, reports } = make();
    playout.add(frame(3, 3_200, true));
    playout.pull(500, 0);
    playout.flush(500);
    expect(reports.at(-1)).toEqual({ speech: 3, sample: 500, capture: 500, flushed: true });
    expect(playout.pull(500, 500).every((sample) => sample === 0)).toBe(true);
  });

  it('ducks by 20 dB and comes back, without a jump', () => {
    const { playout } = make();
    playout.add(frame(1, 6_400, true));
    playout.duck();
    const down = playout.pull(3_200, 0);
    playout.unduck();
    const up = playout.pull(3_200, 3_200);
    expect(down.at(-1)).toBeCloseTo(0.025, 5);
    expect(up.at(-1)).toBeCloseTo(0.25, 5);
    const jumps = [...down, ...up].map((sample, i, all) => Math.abs(sample - (all[i - 1] ?? sample)));
    expect(Math.max(...jumps)).toBeLessThan(0.002);
  });

  it('plays every sample once, in order, whatever the blocks', () => {
    const sizes = fc.array(fc.integer({ min: 1, max: 400 }), { minLength: 1, maxLength: 10 });
    fc.assert(
      fc.property(sizes, sizes, (frames, blocks) => {
        const { playout, reports } = make();
        const total = frames.reduce((sum, size) => sum + size, 0);
        let next = 0;
        frames.forEach((size, i) =>
          playout.add({
            epoch: 1,
            last: i === frames.length - 1,
            samples: Int16Array.from({ length: size }, () => ++next),
          }),
        );
        const out: number[] = [];
        for (let i = 0; out.length < total; i++)
          out.push(...playout.pull(blocks[i % blocks.length]!, out.length));
        expect(out.slice(0, total).map((sample) => Math.round(sample * 32_768))).toEqual(
          Array.from({ length: total }, (_, i) => i + 1),
        );
        expect(reports.at(-1)).toMatchObject({ sample: total, capture: total });
      }),
      { seed: 2 },
    );
  });

  it('holds more after a hole in a speech, and less again when all has been well for long', () => {
    const { playout } = make();
    const before = playout.heldMs;
    playout.add(frame(1, 800));
    const first = playout.pull(1_600, 0);
    expect([first[799], first[800]]).toEqual([0.25, 0]);
    expect(playout.holes).toBe(1);
    expect(playout.heldMs).toBeGreaterThan(before);
    // Too little to go on: it would only make another hole.
    playout.add(frame(1, 320));
    expect(playout.pull(320, 1_600).every((sample) => sample === 0)).toBe(true);
    playout.add(frame(1, 1_600, true));
    expect(playout.pull(320, 1_920).every((sample) => sample === 0.25)).toBe(true);
    for (let i = 2; i < 60; i++) {
      playout.add(frame(i, RATE, true));
      playout.pull(RATE, i * RATE);
    }
    expect(playout.heldMs).toBe(before);
    expect(playout.holes).toBe(1);
  });

  it('sound of a speech that was flushed is late, and not played', () => {
    const { playout } = make();
    playout.add(frame(4, 320));
    playout.pull(160, 0);
    playout.flush(160);
    playout.add(frame(4, 640, true));
    expect(playout.busy).toBe(false);
    playout.add(frame(5, 320, true));
    expect(playout.pull(320, 320)[0]).toBe(0.25);
  });
});

describe('ducking by itself', () => {
  /**
   * The caller begins to speak after a second over a speech of three; what is played, a tenth of a second
   * each.
   */
  function played(toldAfterMs: number | null): { levels: number[]; ducked: number[] } {
    const { playout } = make();
    const ducked: number[] = [];
    const duck = new LocalDuck(playout, RATE, (capture) => ducked.push((capture * 1000) / RATE));
    playout.add(frame(1, 3 * RATE, true, 3_277));
    const spoken = voice(8_000);
    const mic = noise(3 * RATE).map((sample, i) => sample + (spoken[i - RATE] ?? 0));
    const levels: number[] = [];
    for (let at = 0; at < mic.length; at += 160) {
      if (toldAfterMs !== null && at === (toldAfterMs * RATE) / 1000) duck.told('duck');
      const out = playout.pull(160, at);
      duck.hear(mic.subarray(at, at + 160), out, at);
      if (at % 1_600 === 0) levels.push(Math.round(out[0]! * 100) / 100);
    }
    return { levels, ducked };
  }

  it('makes it quieter as soon as a voice is heard here, and undoes it unless it is told to', () => {
    const alone = played(null);
    expect(alone.ducked[0]).toBeGreaterThan(1_000);
    expect(alone.ducked[0]).toBeLessThan(1_120);
    expect(alone.levels.slice(0, 10)).toEqual(new Array<number>(10).fill(0.1));
    expect(alone.levels[13]).toBe(0.01);
    expect(alone.levels.at(-1)).toBe(0.1);
    expect(played(1_300).levels.at(-1)).toBe(0.01);
  });
});
