/** What a page's hooks make of what passes, as it goes back to the service. */
import { expect, it } from '@jest/globals';
import { PageEnd, type PageHooks } from '@verbalon/client';
import type { CallerMessage } from '@verbalon/protocol';

const WORDS = [
  { word: 'rowing', fromMs: 100, toMs: 400, confidence: 0.4 },
  { word: 'hut', fromMs: 400, toMs: 700, confidence: 0.9 },
];

/** What goes back when these words were heard. */
function passed(heard: PageHooks['heard']): Promise<CallerMessage> {
  return new Promise((done) => {
    const page = new PageEnd({ heard: heard! }, done);
    page.take({ kind: 'pass', atMs: 0, call: 7, stage: 'heard', words: WORDS });
  });
}

it.each<[string, PageHooks['heard'], object]>([
  ['as they were', (text) => text, {}],
  [
    'others, one for one',
    (text) => text.replace('rowing', 'Rowan'),
    { words: [{ ...WORDS[0], word: 'Rowan' }, WORDS[1]] },
  ],
  [
    'more words, which share the time',
    () => 'the Rowan Hut',
    {
      words: [
        { word: 'the', fromMs: 100, toMs: 300 },
        { word: 'Rowan', fromMs: 300, toMs: 500 },
        { word: 'Hut', fromMs: 500, toMs: 700 },
      ],
    },
  ],
  ['none', () => '', { words: [] }],
  ['held back', () => Promise.resolve(null), { veto: true }],
])('words heard pass on %s', async (_, heard, given) => {
  expect(await passed(heard)).toEqual({ kind: 'passed', call: 7, ...given });
});

it('takes part only in what there is a hook for', () => {
  const parts = (hooks: PageHooks) => new PageEnd(hooks, () => undefined).parts;
  expect(parts({})).toEqual([]);
  expect(parts({ chat: () => 'hello', spoken: (text) => text })).toEqual(['spoken', 'thinking']);
});
