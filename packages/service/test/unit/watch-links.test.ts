import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import type { Call } from '../../src/talk/call/call.js';
import { WatchLinks } from '../../src/talk/call/watch-links.js';

beforeEach(() => void jest.useFakeTimers());
afterEach(() => void jest.useRealTimers());

describe('a link to a talk', () => {
  const views = new WatchLinks({ of: () => ({ conversation: 'walk' }) as Call });
  const held = (seconds: number, key: string | null) => {
    const left: string[] = [];
    const { token } = views.give('walk', seconds, 'join', key);
    const letGo = views.hold(views.find(token).view, () => left.push(token));
    return { token, left, letGo };
  };

  it('lets nobody stay when its time is over', () => {
    const { token, left } = held(60, null);
    jest.advanceTimersByTime(59_000);
    expect(left).toEqual([]);
    jest.advanceTimersByTime(1_000);
    expect(left).toEqual([token]);
    expect(() => views.find(token)).toThrow(/has expired/);
  });

  it('ends with the key of whoever gave it out, and no other does', () => {
    const [revoked, other] = [held(60, 'inn'), held(60, 'club')];
    views.endRevoked((key) => key !== 'inn');
    expect([revoked.left, other.left]).toEqual([[revoked.token], []]);
    expect(() => views.find(revoked.token)).toThrow();
    jest.advanceTimersByTime(60_000);
    expect(revoked.left).toHaveLength(1);
  });

  it('asks nobody to leave who has left', () => {
    const { left, letGo } = held(60, null);
    letGo();
    jest.advanceTimersByTime(120_000);
    expect(left).toEqual([]);
  });
});
