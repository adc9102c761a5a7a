/** What a talk looks like, made from what the conductor tells: on the virtual clock of core's stage. */
import { describe, expect, it } from '@jest/globals';
import type { Happening, HappeningOf, Order } from '@verbalon/core';
import type { ServiceMessage } from '@verbalon/protocol';
import { begin, OVER_MS, plan, planned, Stage, WORD_MS } from '../../../core/test/unit/stage.js';
import { deviceDisplay, lightOf } from '../../src/device-display.js';
import { viewOfJournal } from '../../src/stored-talk.js';
import {
  assistantWords,
  callerWords,
  emptyView,
  segmentText,
  showMessage,
  showPlayed,
  type TalkView,
} from '../../src/talk-view.js';

type Kept = { side: 'happening' | 'order'; body: unknown }[];

function told(view: TalkView, order: Order): TalkView {
  if (order.kind === 'hush') return showMessage(view, { kind: 'hush', atMs: 0 });
  return order.kind === 'tell' ? showMessage(view, { ...order.message, atMs: 0 } as ServiceMessage) : view;
}

const played = (view: TalkView, { speech, playedMs, atMs }: HappeningOf<'played'>) =>
  showPlayed(view, speech, playedMs, atMs);

/** A talk on the stage, and what its line has been shown of it. */
class Shown {
  readonly journal: Kept = [];
  readonly stage: Stage;

  constructor(withPlan = plan) {
    this.stage = new Stage(withPlan, this.journal);
  }

  /** As the line that it is told. */
  get view(): TalkView {
    let view: TalkView = { ...emptyView, connection: 'open' };
    for (const { side, body } of this.journal) {
      if (side === 'order') view = told(view, body as Order);
      else if ((body as Happening).kind === 'played') view = played(view, body as HappeningOf<'played'>);
    }
    return view;
  }

  /** As it is stored. */
  get stored(): TalkView {
    return viewOfJournal(this.journal.map((one, index) => ({ ...one, index, atMs: 0, kind: '' })) as never);
  }
}

const ANSWER = 'There are four bunks. Two of them are beside the window.';

/** A question is answered; of the first phrase so many words have been played. */
function answering(words: number, shown = new Shown(planned({}))): Shown {
  const { stage } = shown;
  stage.say('how many bunks are free');
  stage.wait(OVER_MS);
  stage.write(ANSWER);
  stage.synthesise();
  stage.play(stage.all('play')[0]!.speech, words * WORD_MS);
  return shown;
}

const wordsOf = (view: TalkView) => view.speeches.flatMap(assistantWords);
const looks = (view: TalkView) => wordsOf(view).map(({ word, look }) => `${word} ${look}`);

describe('the view of a talk', () => {
  it('has the caller’s words in pencil while they may change, then in ink at their times', () => {
    const shown = new Shown();
    const { stage } = shown;
    stage.nowMs = 1_000;
    const recognition = begin(stage, 'how many bunks');
    const provisional = callerWords(shown.view.segments[0]!, 1_600);
    expect(provisional.map(({ word, look }) => [word, look])).toEqual([
      ['how', 'pencil'],
      ['many', 'pencil'],
      ['bunks', 'pencil'],
    ]);
    // Spread over the time of the voice so far.
    expect(provisional.map(({ fromMs }) => fromMs)).toEqual([1_000, 1_200, 1_400]);
    stage.nowMs = 2_000;
    stage.happen({ kind: 'voiceEnded', atMs: 1_800, voicedMs: 800, pitchedMs: 800 });
    stage.heard(recognition, 'how many bunks');
    const [segment] = shown.view.segments;
    expect(segmentText(segment!)).toBe('how many bunks');
    expect(callerWords(segment!, 9_000)).toMatchObject([
      { word: 'how', fromMs: 1_000, toMs: 1_200, look: 'ink' },
      { look: 'ink' },
      { word: 'bunks', toMs: 1_600 },
    ]);
  });

  it('has its own words in ink when they were heard, and strikes those that never will be', () => {
    const shown = answering(2);
    expect(looks(shown.view).slice(0, 4)).toEqual(['There ink', 'are ink', 'four pencil', 'bunks. pencil']);
    const { speech } = shown.stage.all('play')[0]!;
    shown.stage.happen({ kind: 'hushAsked' });
    shown.stage.happen({
      kind: 'played',
      speech,
      playedMs: 3 * WORD_MS,
      atMs: shown.stage.nowMs,
      flushed: true,
    });
    const after = shown.view;
    expect(looks(after).slice(0, 4)).toEqual(['There ink', 'are ink', 'four ink', 'bunks. struck']);
    expect(after.hushes).toHaveLength(1);
    expect(after.reports.at(-1)).toMatchObject({ heard: 'There are four' });
    expect(wordsOf(after).every(({ fromMs, toMs }) => toMs > fromMs)).toBe(true);
  });

  it.each([
    ['a nod', 'uh huh', 400],
    ['a cough', '', 300],
  ])('%s over it takes no words of the next turn', (_name, text, voicedMs) => {
    const shown = answering(2);
    const { stage } = shown;
    const recognition = begin(stage, text);
    stage.nowMs += voicedMs;
    stage.happen({ kind: 'voiceGoes', atMs: stage.nowMs, voicedMs, pitchedMs: voicedMs });
    stage.nowMs += 280;
    stage.happen({ kind: 'voiceEnded', atMs: stage.nowMs - 280, voicedMs, pitchedMs: voicedMs });
    if (stage.all('dropRecognition').every((one) => one.recognition !== recognition))
      stage.heard(recognition, text);
    expect(stage.all('hush')).toHaveLength(0);
    stage.playAll();
    stage.say('and what time is supper');
    stage.wait(OVER_MS);
    const said = shown.view.segments.map(segmentText);
    expect(said).toEqual(['how many bunks are free', text, 'and what time is supper']);
    const at = shown.view.segments.find((one) => segmentText(one).startsWith('and'))!;
    expect(at.fromMs).toBe(stage.all('openRecognition').at(-1)!.fromMs + 300);
  });

  it('is the same when it is read from the journal, but that a fresh start leaves all of it', () => {
    const shown = answering(2);
    const { speech } = shown.stage.all('play')[0]!;
    shown.stage.happen({ kind: 'freshAsked' });
    shown.stage.happen({
      kind: 'played',
      speech,
      playedMs: 2 * WORD_MS,
      atMs: shown.stage.nowMs,
      flushed: true,
    });
    expect(shown.view.segments).toEqual([]);
    expect(shown.view.notice).toMatch(/nothing of before is remembered/);
    expect(shown.stored.segments.map(segmentText)).toEqual(['how many bunks are free']);
    expect(looks(shown.stored).slice(0, 4)).toEqual(['There ink', 'are ink', 'four struck', 'bunks. struck']);
    expect(shown.stored.connection).toBe('ended');
  });

  it('shows the beginning of a second segment of a turn only once', () => {
    const shown = new Shown();
    const { stage } = shown;
    stage.say('two bunks at');
    const second = begin(stage, 'heron hut');
    expect(shown.view.segments.map(segmentText)).toEqual(['two bunks at', 'heron hut']);
    stage.heard(second, 'heron hut');
    expect(shown.view.segments.map(segmentText)).toEqual(['two bunks at', 'heron hut']);
  });
});

describe('a device with a light and two lines', () => {
  const displayed = (change: Partial<TalkView>) =>
    deviceDisplay({ ...emptyView, connection: 'open', hint: 'Ask about paths', ...change }, 20);

  it.each<[string, Partial<TalkView>, string, [string, string]]>([
    ['rests', {}, 'breathing', ['Ask about paths', '']],
    ['has lost its line', { connection: 'away' }, 'trouble', ['No connection', 'trying again …']],
    ['is recorded', { recorded: true }, 'breathing', ['Ask about paths', 'Recorded']],
    ['is recorded, and greets', { recorded: true, phase: 'answering' }, 'answering', ['Recorded', '']],
    ['is not in a talk', { connection: 'ended' }, 'off', ['The talk is over', '']],
    ['is pressed', { pressed: true, phase: 'answering', hint: '' }, 'listening', ['', '']],
    [
      'has more to hint at than there is room for',
      { hint: 'Ask about paths and bunks' },
      'breathing',
      ['Ask about paths and…', ''],
    ],
    ['thinks', { phase: 'working' }, 'working', ['Thinking …', '']],
    [
      'tells what is wrong, the end of it where there is no room',
      { trouble: { title: 'The assistant cannot hear you just now at all', detail: '', remedy: '' } },
      'trouble',
      ['hear you just now at', 'all'],
    ],
    [
      'breaks what no line can hold',
      { notice: 'Donaudampfschifffahrtsgesellschaft' },
      'breathing',
      ['Donaudampfschifffahr', ''],
    ],
  ])('%s', (_name, change, light, lines) => {
    expect(displayed(change)).toEqual({ light, lines });
  });

  it('shows no words of the answer before, and goes on with its own when somebody nods', () => {
    const words = [
      { word: 'Hello', endMs: 200 },
      { word: 'there.', endMs: 400 },
    ];
    const after = (playedMs: number, fromMs: number) =>
      displayed({
        phase: 'answering',
        speeches: [
          { speech: 1, turn: 1, text: 'Hello there.', words, fromMs: 0, playedMs, over: playedMs === 400 },
        ],
        segments: [{ turn: 2, by: null, fromMs, toMs: null, settled: 'yes', open: '', words: null }],
      }).lines;
    expect(after(400, 2_000)).toEqual(['', '']);
    expect(after(200, 150)).toEqual(['Hello there.', '']);
  });

  it('follows the words: the caller’s end, and its own up to the next', () => {
    const shown = new Shown();
    begin(shown.stage, 'is the path over the saddle open');
    expect(lightOf(shown.view)).toBe('listening');
    expect(deviceDisplay(shown.view, 20).lines[1]).toBe('…ver the saddle open');
    expect(deviceDisplay(answering(2).view, 20).lines).toEqual(['There are four', 'bunks.']);
  });
});
