/** What a talk prints, line by line. */
import { expect, it } from '@jest/globals';
import type { ServiceMessage } from '@verbalon/protocol';
import { TalkPrinter } from '../../src/print-talk.js';
import { ScreenModel } from '../../src/screen-model.js';

/** @param isTTY a terminal, in which provisional words are shown in place */
function printed(messages: object[], isTTY = false): string {
  let text = '';
  const out = { isTTY, columns: 60, write: (part: string) => (text += part) };
  const printer = new TalkPrinter('talk', out as unknown as NodeJS.WriteStream);
  for (const message of messages) {
    const one = { atMs: 0, ...message } as ServiceMessage | { kind: 'played'; speech: number; atMs: number };
    if (one.kind === 'played') printer.played(one.speech, one.atMs);
    else printer.show(one);
  }
  return text;
}

const final = (atMs: number, text: string) => ({
  kind: 'final',
  atMs,
  turn: 1,
  text,
  words: [],
  alternatives: [],
});
const speech = (text: string, words: object[] = []) => ({ kind: 'speech', speech: 3, turn: 1, text, words });

it('a line for each saying, with the time of the talk', () => {
  expect(
    printed([
      { kind: 'admitted', assistant: 'tansy', recorded: true },
      final(59_960, 'Is it open?'),
      { kind: 'unheard', atMs: 61_000, reason: 'noise', why: 'a knock' },
      final(3_600_040, ''),
      { ...speech('Yes, it is.'), atMs: 5_100 },
      // Told again, when its words' times are known better.
      { ...speech('Yes, it is.', [{ word: 'Yes,', endMs: 200 }]), atMs: 5_100 },
      { kind: 'played', speech: 3, atMs: 5_100 },
      { kind: 'played', speech: 3, atMs: 5_400 },
    ]),
  ).toBe(
    [
      '00:00.0  ·         talking to tansy; this talk is recorded',
      '01:00.0  caller    Is it open?',
      '01:01.0  ·         unheard: a knock',
      '60:00.0  caller    (no word understood)',
      '00:05.1  tansy     Yes, it is.',
      '',
    ].join('\n'),
  );
});

it('times of a turn, and what is wrong with what to do', () => {
  const report = {
    gap: {
      ms: 812.4,
      parts: [
        { part: 'wait', ms: 240.2 },
        { part: 'thinking', ms: 572.2 },
      ],
    },
    interrupted: 'the caller said "wait"',
    heard: 'Supper is',
  };
  expect(
    printed([
      { kind: 'turn', report },
      { kind: 'trouble', title: 'No ears', detail: 'they died', remedy: 'Restart.' },
    ]),
  ).toBe(
    [
      '00:00.0            gap 812 ms = wait 240 + thinking 572',
      '00:00.0            interrupted (the caller said "wait"); heard: "Supper is"',
      '00:00.0  !         No ears: they died',
      '00:00.0            → Restart.',
      '',
    ].join('\n'),
  );
});

it('provisional words in place on a terminal, the newest where there is no room; nowhere else', () => {
  const partial = { kind: 'partial', turn: 1, settled: '', open: `${'word '.repeat(20)}last` };
  expect(printed([partial])).toBe('');
  const shown = printed([partial, final(0, 'word')], true);
  expect(shown).toMatch(/^\r\u001b\[K00:00\.0 {2}caller {4}.*word last/);
  expect(shown).toMatch(/\r\u001b\[K00:00\.0 {2}caller {4}word\n$/);
});

it('keys of the full screen: what is pasted is typed line by line, a letter may have several signs', () => {
  const typed: string[] = [];
  const pressed: string[] = [];
  const model = new ScreenModel();
  model.keys = {
    press: () => pressed.push('down'),
    release: () => pressed.push('up'),
    floor: (floor: string) => pressed.push(floor),
    type: (text: string) => typed.push(text),
  } as never;
  model.type('When is supper?\r\n\r\n  And break');
  model.type('fast🍲');
  model.erase();
  expect(model.screen.typing).toBe('  And breakfast');
  model.enter();
  model.enter();
  expect(typed).toEqual(['When is supper?', 'And breakfast']);
  model.pressKey();
  expect(model.screen.view.pressed).toBe(true);
  // However the turn ended, the key is up again.
  model.message({ kind: 'state', atMs: 0, state: 'working' });
  expect(model.screen.view.pressed).toBe(false);
  model.toggleFloor();
  expect(model.screen.view.floor).toBe('press');
  expect(pressed).toEqual(['down', 'up', 'press']);
});

it('an errand when the caller has finished, not while words may still change', () => {
  const errand = (
    provisional: boolean,
    stage: string,
    slots: { text: string }[],
    asking: string | null = null,
  ) => ({
    kind: 'errand',
    run: 1,
    errand: 'book-bunks',
    title: 'book bunks',
    stage,
    provisional,
    asking,
    slots,
  });
  expect(
    printed([
      errand(true, 'asking', [{ text: 'four bunks' }]),
      errand(false, 'asking', [{ text: 'four bunks' }, { text: 'Rowan Hut' }], 'night'),
      errand(false, 'done', [{ text: 'four bunks' }]),
    ]),
  ).toBe(
    [
      '00:00.0  ·         book bunks: four bunks, Rowan Hut; asks for night',
      '00:00.0  ·         book bunks: four bunks; done',
      '',
    ].join('\n'),
  );
});

it('phrases stand where they are heard, in whatever order their sound was ready; and who took over is said', () => {
  const phrase = (id: number, text: string) => ({ kind: 'speech', speech: id, turn: 1, text, words: [] });
  const heard = (id: number) => ({ kind: 'played', speech: id, atMs: id * 1_000 });
  const text = printed([
    { kind: 'admitted', assistant: 'tansy' },
    phrase(2, 'Second.'),
    phrase(1, 'First.'),
    phrase(3, 'Never heard.'),
    { kind: 'relieved', turn: 1, role: 'llm', from: 'thinker', to: 'answers', why: '' },
    heard(1),
    heard(2),
    heard(1),
  ]);
  expect(text.split('\n').slice(1)).toEqual([
    '00:00.0  ·         answers took over from thinker',
    '00:01.0  tansy     First.',
    '00:02.0  tansy     Second.',
    '',
  ]);
});
