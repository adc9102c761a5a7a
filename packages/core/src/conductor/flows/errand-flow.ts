/**
 * A turn that is for an errand, a call by a model, and what came of doing it: asked, read back, done once,
 * and told.
 */
import { settleErrand } from '../../errands/dialogue.js';
import { callErrand, writeErrand } from '../../errands/filled-otherwise.js';
import type { Move, Step } from '../../errands/moves.js';
import type { RunOutcome, Run } from '../../errands/contract.js';
import { valuesOf } from '../../errands/fill.js';
import { fillIn, slotTexts } from '../../errands/sentences.js';
import { languageOf } from '../../language/language.js';
import { addCalls, noSuchFunction } from '../../thinking/history.js';
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import type { Desk, SignalOf } from '../state/desk.js';
import * as errands from '../machines/errands.js';
import * as generation from '../machines/generation.js';
import type { Answer } from '../state/answer.js';
import { contextOf, heard } from '../state/errand-reading.js';
import { currentAnswer, liveAnswer } from '../state/state.js';
import { newTurn, type Turn } from '../state/turn.js';
import { answer, awaitFiller, say, type SayOptions } from './answer-flow.js';

/** The turn is over: if it is for an errand, that has it. @returns false where none has */
export function errandTurn(desk: Desk, turn: Turn, text: string): boolean {
  const before = desk.state.errands;
  const step = heard(desk, turn, text);
  if (!step) return false;
  take(desk, step);
  const { move } = step;
  if (move.do === 'pass') return false;
  if (move.do === 'answer') answer(desk, turn, text);
  else begin(desk, turn, text, move);
  const begun = currentAnswer(desk.state);
  if (begun) note(desk, begun, step, before);
  return true;
}

/** How the errands stand from now on, told to the line. */
function take(desk: Desk, { errands: next, ended }: Step): void {
  for (const { run, ending } of ended) errands.tellRun(desk, run, ending);
  desk.state.errands = next;
  if (next.current) errands.tellRun(desk, next.current);
}

/** What the answer is about, and what is to be undone when its turn is taken back. */
function note(
  { state }: Desk,
  begun: Answer,
  { move, ended }: Step,
  before: Answer['errand']['before'],
): void {
  const { current } = state.errands;
  const about = ended.map(({ run, ending }) => ({ run: run.run, errand: run.errand, stage: ending }));
  begun.errand.before = before;
  if (move.do === 'answer') begun.errand.then = move.then;
  begun.errand.about.push(
    ...about,
    ...(current ? [{ run: current.run, errand: current.errand, stage: current.stage }] : []),
  );
}

function begin(desk: Desk, turn: Turn, asked: string, move: Exclude<Move, { do: 'pass' | 'answer' }>): void {
  const cause: Cause = { kind: 'errandSays' };
  const options: SayOptions = { asked };
  if (move.do === 'say') return say(desk, turn, move.text, cause, options);
  if (move.do === 'hand over') {
    const handsOver = slotTexts(move.run);
    return say(desk, turn, move.text || desk.plan.sayings.filler, cause, { ...options, handsOver });
  }
  // Nothing is written yet: what came of it is said when it is known.
  say(desk, turn, '', cause, { ...options, open: true });
  actFor(desk, liveAnswer(desk.state)!, move);
}

/** From here on the turn is certain: it is never taken back. */
function actFor(desk: Desk, begun: Answer, { do: what, run }: Extract<Move, { do: 'act' | 'stop' }>): void {
  begun.errand.acts = run.run;
  begun.errand.awaited = true;
  if (what === 'stop') desk.order({ kind: 'stopErrand', run: run.run }, { kind: 'errandStopped' });
  else
    desk.order(
      { kind: 'doErrand', run: run.run, errand: run.errand, slots: valuesOf(run) },
      { kind: 'errandConfirmed' },
    );
  awaitFiller(desk);
}

/** What came of a run. It is said in the answer that waits for it; else as soon as nobody speaks. */
export function errandDone(desk: Desk, { run, outcome }: HappeningOf<'errandDone'>): void {
  const { state } = desk;
  const context = contextOf(desk);
  const { current } = state.errands;
  if (!context || current?.run !== run || current.stage !== 'doing') return desk.ignore('errandDone', run);
  const step = settleErrand(state.errands, outcome, context);
  take(desk, step);
  const text = step.move.do === 'say' ? step.move.text : '';
  const waiting = state.answers.find(
    ({ errand, stage }) => errand.awaited && errand.acts === run && stage.at === 'live',
  );
  if (!waiting) {
    const { calls, results } = roundOf(current, outcome);
    state.history = addCalls(state.history, '', calls, results);
    state.news.push(text);
    tellNews(desk);
    return;
  }
  waiting.errand.awaited = false;
  waiting.errand.about = [{ run, errand: current.errand, stage: outcome.ending }];
  const { writing } = waiting;
  writing.rounds.push({ upto: writing.text.length, ...roundOf(current, outcome) });
  generation.write(desk, waiting, writing.text === '' ? text : ` ${text}`);
  generation.finish(desk, waiting);
}

/** As a model sees it: a call, and what it gave. */
function roundOf(run: Run, { ending, code, given }: RunOutcome) {
  const id = `errand-${run.run}`;
  const result = JSON.stringify({ outcome: code ?? ending, ...given });
  return { calls: [{ id, name: run.errand, arguments: valuesOf(run) }], results: [result] };
}

/** Nobody speaks, or is about to: the assistant may say something by itself. */
export function isOpen({ state }: Desk): boolean {
  return (
    !state.turn &&
    !currentAnswer(state) &&
    !state.floor.voiceActive &&
    state.floor.person === null &&
    !state.mustEnd
  );
}

/** What could not be said when it was known. @returns whether there was something */
export function tellNews(desk: Desk): boolean {
  const { state } = desk;
  if (state.news.length === 0 || !isOpen(desk)) return false;
  const news = state.news.splice(0);
  const text = news.filter(Boolean).join(' ');
  if (text !== '') say(desk, newTurn(desk.newId(), 'errand'), text, { kind: 'errandSays' });
  return true;
}

/**
 * What was written counts like what was said, and is asked for no more. While something is done, nothing can
 * be changed.
 */
export function wrote(desk: Desk, { slot, value }: HappeningOf<'wrote'>): void {
  const { state } = desk;
  const context = contextOf(desk);
  const { current } = state.errands;
  if (!context || !current || current.stage === 'doing') return desk.ignore('wrote', 0);
  const step = writeErrand(state.errands, slot, value, context);
  if (!step) return desk.ignore('wrote', current.run);
  take(desk, step);
  const text = step.move.do === 'say' ? step.move.text : '';
  // Only what answers the open question brings the next one.
  if (slot !== current.asking && current.stage !== 'reading back') return;
  state.news.push(text);
  tellNews(desk);
}

/** Told as soon as nobody speaks. */
export function undelivered(desk: Desk, { names, unsure }: HappeningOf<'undelivered'>): void {
  const { errands: words } = languageOf(desk.plan.language);
  if (!words) return;
  const { sayings, values } = words;
  const told = (saying: string, all: readonly string[]) =>
    all.length === 0 ? [] : [fillIn(saying, { list: values.sayList(all, 'and') })];
  desk.state.news.push(...told(sayings.notDelivered, names), ...told(sayings.perhapsDelivered, unsure));
  tellNews(desk);
}

/** A model wants errands done. One that was begun ahead of the turn's end waits until it is wanted. */
export function called(desk: Desk, { answer: begun }: SignalOf<'errandsCalled'>): void {
  if (begun.stage.at !== 'live') return;
  const { state } = desk;
  const context = contextOf(desk);
  const { writing } = begun;
  const calls = writing.calls.splice(0);
  const first = calls.find(({ name }) => context?.book.get(name));
  const step = first && context ? callErrand(state.errands, first.name, first.arguments, context) : null;
  if (!step || !context) return;
  const before = state.errands;
  take(desk, step);
  note(desk, begun, step, before);
  const { move } = step;
  const text = move.do === 'say' || move.do === 'hand over' ? move.text : '';
  const results = calls.map((one) =>
    one === first ? text || context.words.sayings.underWay : noSuchFunction(one.name),
  );
  writing.rounds.push({ upto: writing.text.length, calls, results });
  writing.thought = null;
  if (move.do === 'hand over') [begun.handsOver, begun.errand.known] = [true, slotTexts(move.run)];
  if (move.do === 'act' || move.do === 'stop') return actFor(desk, begun, move);
  if (text !== '') generation.write(desk, begun, writing.text.trim() === '' ? text : ` ${text}`);
  generation.finish(desk, begun);
}
