import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import { FairShare, type Came } from '../../src/talk/line/fair-share.js';

/** Computing time that passes while the work is done, as a share of the time on the clock. */
let computes = 1;
beforeEach(() => {
  jest.useFakeTimers();
  computes = 1;
  jest.spyOn(process, 'cpuUsage').mockImplementation((before) => ({
    user: performance.now() * 1000 * computes - (before?.user ?? 0),
    system: 0,
  }));
});
afterEach(() => {
  jest.restoreAllMocks();
  jest.useRealTimers();
});

const came = (text: string, isBinary = false): Came => ({ data: Buffer.from(text), isBinary });

describe('the share of a line', () => {
  const start = (tookMs: number) => {
    const done: string[] = [];
    const calls: string[] = [];
    let isOver = false;
    const socket = { pause: () => void calls.push('pause'), resume: () => void calls.push('resume') };
    const work = ({ data }: Came) => {
      done.push(data.toString());
      jest.advanceTimersByTime(tookMs);
    };
    const share = new FairShare(socket, work, () => isOver);
    return { share, done, calls, leave: () => (isOver = true) };
  };

  it('is a fifth of the time: what was read in one go waits, in order, and nothing is lost', () => {
    const { share, done, calls } = start(50);
    const all = Array.from({ length: 12 }, (_, i) => `${i}`);
    for (const text of all) share.take(came(text));
    expect(done.length).toBeLessThan(3);
    expect(calls[0]).toBe('pause');
    jest.advanceTimersByTime(1_000);
    // Each of the messages takes 50 ms: of a second they have 200, and what was saved up.
    expect(done.length).toBeLessThan(9);
    jest.advanceTimersByTime(4_000);
    expect(done).toEqual(all);
    expect(calls.at(-1)).toBe('resume');
  });

  it('is not asked for by sound, which keeps its place', () => {
    const { share, done } = start(50);
    for (const text of ['a', 'b', 'c']) share.take(came(text, true));
    expect(done).toEqual(['a', 'b', 'c']);
    for (const text of ['d', 'e', 'f']) share.take(came(text));
    share.take(came('g', true));
    jest.advanceTimersByTime(5_000);
    expect(done.join('')).toBe('abcdefg');
  });

  it('is not used up by time in which a busy machine let the service wait', () => {
    const { share, done, calls } = start(2_000);
    computes = 0.001;
    for (const text of ['a', 'b', 'c']) share.take(came(text));
    expect(done).toEqual(['a', 'b', 'c']);
    expect(calls).toEqual([]);
  });

  it('of a line that is gone is nothing', () => {
    const { share, done, leave } = start(100);
    for (const text of ['a', 'b', 'c']) share.take(came(text));
    const before = done.length;
    leave();
    jest.advanceTimersByTime(10_000);
    expect(done).toHaveLength(before);
  });
});
