/** A journal as it is kept and read: an earlier version can still be shown. */
import { describe, expect, it } from '@jest/globals';
import {
  captionsOf,
  JOURNAL_VERSION,
  JournalPacker,
  JournalReader,
  reportsIn,
  toldInWords,
  type Kept,
} from '../../src/index.js';
import type { Happening } from '../../src/conductor/contract/happenings.js';
import type { Order } from '../../src/conductor/contract/orders.js';
import { Stage } from './stage.js';

function talk(): Kept[] {
  const journal: Kept[] = [];
  const stage = new Stage(undefined, journal);
  stage.say('is the path open');
  stage.wait(1_000);
  stage.write('It is open. Take boots.');
  stage.playAll();
  return journal;
}

/** As version 1 wrote it: every cause is a sentence. */
function asBefore(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(asBefore);
  if (value === null || typeof value !== 'object') return value;
  const { cause, ...rest } = value as { cause?: { kind: string } };
  const others = Object.fromEntries(Object.entries(rest).map(([key, one]) => [key, asBefore(one)]));
  if (cause === undefined) return others;
  return {
    ...others,
    [Object.hasOwn(rest, 'completeness') || Object.hasOwn(rest, 'message') ? 'reason' : 'why']: 'because',
  };
}

describe('a journal', () => {
  it('is read as it was written, and says who said what when, and what each turn was', () => {
    const journal = talk();
    const packer = new JournalPacker();
    const reader = new JournalReader(JOURNAL_VERSION);
    const read = journal.map(({ side, body }) => ({
      side,
      body: reader.read(side, packer.pack(side, body as Happening | Order)),
    }));
    expect(read).toEqual(journal);
    const captions = captionsOf(read).map(
      ({ who, words }) => `${who}: ${words.map(({ word }) => word).join(' ')}`,
    );
    expect(captions).toEqual([
      'caller: is the path open',
      'assistant: It is open.',
      'assistant: Take boots.',
    ]);
    expect(reportsIn(read).map(({ heard }) => heard)).toEqual(['It is open. Take boots.']);
  });

  it('of version 1, whose reasons were sentences, is shown with these sentences', () => {
    const reader = new JournalReader(1);
    const read = talk().map(({ side, body }) => ({
      side,
      body: reader.read(side, side === 'order' ? asBefore(body) : body),
    }));
    const [report] = reportsIn(read);
    expect(report!.wait!.cause).toEqual({ kind: 'earlier', words: 'because' });
    expect(toldInWords({ kind: 'turn', report: report! })).toMatchObject({
      report: { wait: { reason: 'because' }, heard: report!.heard },
    });
    expect(captionsOf(read)).toHaveLength(3);
  });
});
