/**
 * Whatever can happen: random rows of happenings, each of which could really come where it comes, and what
 * holds of all of them.
 */
import { describe, expect, it } from '@jest/globals';
import { seeded } from '../../src/common/seeded.js';
import { orphanedTimers, World } from './world.js';

const ROWS = 2_500;
const STEPS = 64;

function drawn(seed: number) {
  const random = seeded(seed);
  return (most: number) => Math.floor(random() * most);
}

/** After every happening. */
function holds(world: World): void {
  const { answers, ended } = world.state;
  if (ended) return;
  const at = answers.map(({ stage }) => (stage.at === 'stopping' ? 'live' : stage.at));
  if (new Set(at).size < at.length) throw new Error(`there are answers at ${at.join(', ')}`);
  const orphans = orphanedTimers(world);
  if (orphans.length > 0) throw new Error(`${orphans.join(', ')} outlived what they were set for`);
}

/** At any time. */
function checkHistory({ state, heardWords }: World): void {
  const { history } = state;
  const open: string[] = [];
  history.forEach((entry, i) => {
    const before = history[i - 1];
    // What is said alternates; calls are followed by what each of them gave, and by nothing else before that.
    if (entry.role === 'result') expect(open.shift()).toBe(entry.call);
    else {
      expect(open).toEqual([]);
      if (before && !('calls' in before)) expect(entry.role).not.toBe(before.role);
      if (entry.role === 'assistant') open.push(...(entry.calls ?? []).map(({ id }) => id));
    }
  });
  expect(open).toEqual([]);
  const remembered = history
    .filter(({ role }) => role === 'assistant')
    .flatMap(({ text }) => text.split(' ').filter(Boolean));
  expect(remembered.length).toBeLessThanOrEqual(heardWords);
}

/** Whatever was going on, the talk can go on; and what was opened is closed at its end. */
function checkEnd(world: World): void {
  const { stage } = world;
  if (!world.ended && world.state.mustEnd === null) {
    world.happen({ kind: 'freshAsked' });
    if (world.ended) return;
    world.happen({ kind: 'typed', text: 'are you there' });
    if (world.state.plan!.purpose === 'talk')
      expect(stage.last('think').messages.at(-1)!.text).toContain('are you there');
  }
  if (!world.ended) world.happen({ kind: 'left', how: 'closed' });
  expect(world.open).toBe(0);
  expect(world.timerNames).toEqual([]);
}

describe('whatever can happen', () => {
  it('roles alternate, only what was played is remembered, nothing is ordered for what has ended, one answer is live, no timer outlives its owner', () => {
    const seen = new Map<string, number>();
    for (let row = 0; row < ROWS; row++) {
      const world = new World(drawn(row), holds);
      try {
        for (let step = 0; step < STEPS && !world.ended; step++) world.step();
        checkHistory(world);
        checkEnd(world);
      } catch (error) {
        throw new Error(`row ${row}: ${(error as Error).message}`, { cause: error });
      }
      for (const [kind, count] of world.seen) seen.set(kind, (seen.get(kind) ?? 0) + count);
    }
    // The rows reach every kind of happening, and everything that can be ordered.
    const rare = [...seen].filter(([, count]) => count < 10);
    expect(rare).toEqual([]);
    for (const kind of [
      'think',
      'dropThought',
      'dropSynthesis',
      'duck',
      'unduck',
      'hush',
      'hangUp',
      'dropRecognition',
      'ignore',
    ])
      expect([kind, (seen.get(`order ${kind}`) ?? 0) > 100]).toEqual([kind, true]);
  });
});
