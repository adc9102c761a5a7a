/**
 * Generation: what models write for an answer. Another one goes on where one fails, without losing or
 * repeating what was given to be spoken; and one is asked beside it where it is late (a hedge).
 */
import { cutPiece, cutRest, newCutter } from '../../speaking/phrase-cutter.js';
import { addCalls, addEntry, MOST_ROUNDS, noSuchFunction, type Entry } from '../../thinking/history.js';
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import type { Purpose } from '../contract/orders.js';
import { acts, spokenLanguage, type Plan } from '../contract/plan.js';
import type { Desk } from '../state/desk.js';
import { isThoughtOn, type Answer } from '../state/answer.js';
import { functionsOf } from '../state/errands.js';
import { engineFor, serving } from '../state/lineup.js';
import { answerOfThought, liveAnswer } from '../state/state.js';

/** A model is asked for the answer. */
export function begin(desk: Desk, answer: Answer, purpose: Purpose, cause: Cause): void {
  const { writing } = answer;
  writing.thought = desk.newId();
  writing.tried = [engineFor(desk.state.lineup, 'llm')!];
  answer.turn.times.thinkingMs = desk.nowMs;
  ask(desk, answer, writing.thought, writing.tried, purpose, cause);
}

/** @param tried engines, the last of which is to think */
function ask(
  desk: Desk,
  answer: Answer,
  thought: number,
  tried: readonly string[],
  purpose: Purpose,
  cause: Cause,
): void {
  const { state, plan } = desk;
  const answerLength = state.caller.answerLength ?? plan.manners.answerLength;
  const by = serving(state.lineup, 'llm', tried);
  const language = spokenLanguage(plan);
  const messages = messagesFor(desk, answer);
  const { persona } = plan;
  const { turn } = answer.turn;
  const functions = functionsOf(plan);
  const request = {
    turn,
    attempt: tried.length,
    purpose,
    ...by,
    persona,
    messages,
    ...(functions.length === 0 ? {} : { functions }),
    answerLength,
    language,
  };
  desk.order({ kind: 'think', thought, ...request }, cause);
}

function messagesFor({ state }: Desk, { asked, opening, writing }: Answer): Entry[] {
  let messages = addEntry(state.history, 'caller', asked || opening);
  let from = 0;
  for (const { upto, calls, results } of writing.rounds) {
    messages = addCalls(messages, writing.text.slice(from, upto), calls, results);
    from = upto;
  }
  return addEntry(messages, 'assistant', writing.text.slice(from));
}

export function piece(desk: Desk, { thought, text }: HappeningOf<'piece'>): void {
  const answer = answerOfThought(desk.state, thought);
  if (!answer || !isThoughtOn(answer)) return desk.ignore('piece', thought);
  settleHedge(desk, answer, thought);
  answer.turn.times.firstPieceMs ??= desk.nowMs;
  const { writing } = answer;
  const joins = writing.continues && !/\s$/.test(writing.text) && !/^[\s.,;:!?]/.test(text);
  writing.continues = false;
  write(desk, answer, joins ? ` ${text}` : text);
}

/** The text grows: by what a model wrote, or by what the assistant says of itself. */
export function write(desk: Desk, answer: Answer, text: string): void {
  const { writing, stage, turn } = answer;
  writing.text += text;
  if (stage.at === 'live') desk.tell({ kind: 'reply', turn: turn.turn, text }, { kind: 'answerGrows' });
  const { phrases, cutter } = cutPiece(writing.cutter, text);
  writing.cutter = cutter;
  desk.raise({ kind: 'textGrew', answer, phrases });
}

/** There is no more to come. */
export function finish(desk: Desk, answer: Answer): void {
  const phrases = cutRest(answer.writing.cutter);
  answer.writing.cutter = newCutter();
  desk.raise({ kind: 'written', answer, phrases });
}

export function thoughtDone(desk: Desk, { thought, closes }: HappeningOf<'thoughtDone'>): void {
  const answer = answerOfThought(desk.state, thought);
  if (!answer || !isThoughtOn(answer)) return desk.ignore('thoughtDone', thought);
  if (answer.writing.calls.some(({ name }) => isErrand(desk.plan, name))) {
    // A speculative answer may prepare, and never act: its calls wait until it is wanted.
    answer.writing.thought = null;
    return desk.raise({ kind: 'errandsCalled', answer });
  }
  if (answer.writing.calls.length > 0) return giveResults(desk, answer);
  if (answer.writing.text.trim() === '')
    return failed(desk, answer, thought, 'thought-empty', 'the model ended its answer without a word');
  if (closes === 'end') answer.closing = true;
  if (closes === 'hand over') answer.handsOver = true;
  if (answer.errand.then !== '') write(desk, answer, ` ${answer.errand.then}`);
  finish(desk, answer);
}

export function called(desk: Desk, { thought, call }: HappeningOf<'called'>): void {
  const answer = answerOfThought(desk.state, thought);
  if (!answer || !isThoughtOn(answer)) return desk.ignore('called', thought);
  settleHedge(desk, answer, thought);
  answer.writing.calls.push(call);
}

const isErrand = ({ errands = [] }: Plan, name: string) => errands.some((errand) => errand.name === name);

/** What was called is no errand: the model is told so, and goes on. */
function giveResults(desk: Desk, answer: Answer): void {
  const { writing } = answer;
  const calls = writing.calls.splice(0);
  if (writing.rounds.length >= MOST_ROUNDS)
    return failed(
      desk,
      answer,
      writing.thought!,
      'thought-circling',
      `it asked for functions ${MOST_ROUNDS + 1} times in a row`,
    );
  const results = calls.map(({ name }) => noSuchFunction(name));
  writing.rounds.push({ upto: writing.text.length, calls, results });
  writing.continues = writing.text.trim() !== '';
  writing.thought = desk.newId();
  ask(desk, answer, writing.thought, writing.tried, 'answer', {
    kind: 'calledUnknown',
    names: calls.map(({ name }) => name).join(', '),
  });
}

export function thoughtTrouble(desk: Desk, { thought, code, detail }: HappeningOf<'thoughtTrouble'>): void {
  const answer = answerOfThought(desk.state, thought);
  if (!answer) return desk.ignore('thoughtTrouble', thought);
  failed(desk, answer, thought, code, detail);
}

/** An engine has failed: the one beside it goes on, or the next one, if there is one. */
function failed(desk: Desk, answer: Answer, thought: number, code: string, detail: string): void {
  if (loseOne(answer, thought)) return;
  // Nobody waits for a speculative answer yet: it is thought again when the turn is over.
  const isWanted = answer.stage.at !== 'speculative' && isThoughtOn(answer);
  if (isWanted && relieve(desk, answer, { kind: 'engineFailed', detail })) return;
  // Nothing is left to be dropped.
  answer.writing.thought = null;
  desk.raise({ kind: 'thinkingFailed', answer, code, detail });
}

/** The next engine goes on after what was already given to be spoken. @returns false where nobody is left */
function relieve(desk: Desk, answer: Answer, cause: Cause): boolean {
  const { writing, turn, stage } = answer;
  const next = engineFor(desk.state.lineup, 'llm', writing.tried);
  if (next === null || writing.thought === null) return false;
  const isLive = stage.at === 'live';
  if (isLive) desk.relieved(turn, { role: 'llm', from: writing.tried.at(-1)!, to: next, cause });
  // What was written and not yet cut into a phrase was promised to nobody.
  writing.text = writing.text.slice(0, writing.text.length - writing.cutter.rest.length);
  writing.cutter = { ...writing.cutter, rest: '' };
  if (isLive) desk.tell({ kind: 'reply', turn: turn.turn, text: '', after: writing.text.length }, cause);
  writing.continues = writing.text.trim() !== '';
  // What it wanted done it may want again, from another engine.
  writing.calls = [];
  writing.tried.push(next);
  writing.thought = desk.newId();
  ask(desk, answer, writing.thought, writing.tried, 'relief', cause);
  return true;
}

/** It has written something, or asked for something. */
const hasBegun = ({ writing }: Answer) => writing.text !== '' || writing.calls.length > 0;

/** It takes long: another engine is asked beside it, and the first that answers goes on. */
export function thoughtLate(desk: Desk, { thought }: HappeningOf<'thoughtLate'>): void {
  const { state } = desk;
  const answer = liveAnswer(state);
  if (answer?.writing.thought !== thought || hasBegun(answer) || answer.writing.hedge)
    return desk.ignore('thoughtLate', thought);
  const { tried } = answer.writing;
  const engine = engineFor(state.lineup, 'llm', tried);
  if (engine === null || Object.hasOwn(state.lineup.resting, engine)) return;
  // What acts is asked alone, and nobody beside it.
  if (acts(desk.plan, engine) || acts(desk.plan, tried.at(-1)!)) return;
  answer.writing.hedge = { thought: desk.newId(), engine };
  ask(desk, answer, answer.writing.hedge.thought, [...tried, engine], 'hedge', { kind: 'engineLate' });
}

/** Of two that think the same, one has begun to answer: the other is dropped. */
function settleHedge(desk: Desk, { writing, turn }: Answer, thought: number): void {
  const { hedge } = writing;
  if (!hedge) return;
  writing.hedge = null;
  const isFirst = writing.thought === thought;
  const loser = isFirst ? hedge.thought : writing.thought!;
  desk.order({ kind: 'dropThought', thought: loser }, { kind: 'otherWasFirst' });
  if (isFirst) return;
  const from = writing.tried.at(-1)!;
  desk.relieved(turn, { role: 'llm', from, to: hedge.engine, cause: { kind: 'itWasFirst' } });
  writing.tried.push(hedge.engine);
  writing.thought = hedge.thought;
}

/** One of two that think the same has failed: the other goes on. @returns false where there is no other */
function loseOne({ writing }: Answer, thought: number): boolean {
  const { hedge } = writing;
  if (!hedge) return false;
  writing.hedge = null;
  writing.tried.push(hedge.engine);
  if (writing.thought === thought) writing.thought = hedge.thought;
  return true;
}

/** Nothing more is to be written for it; of what was dropped before nothing is left to drop. */
export function drop(desk: Desk, { writing }: Answer, cause: Cause): void {
  if (writing.done) return;
  for (const thought of [writing.thought, writing.hedge?.thought ?? null])
    if (thought !== null) desk.order({ kind: 'dropThought', thought }, cause);
  writing.thought = null;
  writing.hedge = null;
}
