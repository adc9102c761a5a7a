/** A journal as it is kept and read. */
import { describe, expect, it } from '@jest/globals';
import { captionsOf, JournalPacker, JournalUnpacker } from '../../src/index.js';
import { reportsIn, type Kept } from '../../src/journal/folds.js';
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

describe('a journal', () => {
  it('is read as it was written, and says who said what when, and what each turn was', () => {
    const journal = talk();
    const packer = new JournalPacker();
    const reader = new JournalUnpacker();
    const read = journal.map(({ side, body }) => ({
      side,
      body: reader.unpack(side, packer.pack(side, body as Happening | Order)),
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
});
