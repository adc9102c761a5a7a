/**
 * The talk as a whole: who joins and leaves, a fresh start, its end, and with which engines and in which
 * language it goes on.
 */
import { languageOf } from '../../language/language.js';
import type { Cause } from '../contract/causes.js';
import type { HappeningOf } from '../contract/happenings.js';
import { primaryOf } from '../../vocabulary/language-tag.js';
import { spokenLanguage } from '../contract/plan.js';
import type { Desk } from '../state/desk.js';
import * as errands from '../machines/errands.js';
import * as listening from '../machines/listening.js';
import * as pushToTalk from '../machines/push-to-talk.js';
import { noticeSilence } from '../state/floor.js';
import { currentAnswer, liveAnswer, stoppingAnswer } from '../state/state.js';
import { newTurn } from '../state/turn.js';
import { finish, interrupt, open, say } from './answer-flow.js';
import { dropSpeculative, forgetSuspended, handOn, tellUnanswered } from './letting-go.js';

/** The last sentence of a talk that must end is over after so long, played or not, in ms. */
const MOST_CLOSING_MS = 20_000;

export function joined(desk: Desk, { plan, clock }: HappeningOf<'joined'>): void {
  const { state } = desk;
  const { stt, llm, tts } = plan.lineup;
  state.plan = plan;
  if (clock) state.clock = { ...clock, atMs: desk.nowMs };
  pushToTalk.begin(desk, plan.manners.floor);
  state.lineup.order = { stt: [...stt], llm: [...llm], tts: [...tts] };
  greet(desk, { kind: 'joined' });
}

function greet(desk: Desk, cause: Cause): void {
  const { purpose, manners, greeting, opening, notice = '' } = desk.plan;
  const told = cause.kind === 'joined' ? notice : '';
  const isQuiet = manners.speaksFirst === 'caller' || (greeting === '' && opening === undefined);
  if (purpose === 'listen' || (isQuiet && told === '')) return desk.enter('listening', cause);
  const turn = newTurn(desk.newId(), 'greeting');
  if (isQuiet || opening === undefined)
    say(desk, turn, [told, isQuiet ? '' : greeting].filter(Boolean).join(' '), cause);
  else open(desk, turn, opening, cause, told);
}

export function left(desk: Desk, { how }: HappeningOf<'left'>): void {
  const { turn } = desk.state;
  const cause: Cause = { kind: 'left', how };
  // What was said last and never answered is not lost.
  if (turn) tellUnanswered(desk, turn, cause);
  dropAll(desk, cause);
  errands.leaveAll(desk);
  desk.tell({ kind: 'farewell', cause }, cause);
  desk.state.ended = true;
}

/** Everything that is going on ends; what was heard of an answer is still reported. */
function dropAll(desk: Desk, cause: Cause): void {
  const { state } = desk;
  interrupt(desk, cause);
  dropSpeculative(desk, cause);
  listening.dropAll(desk, state.turn, cause);
  handOn(desk);
  pushToTalk.forget(desk);
  const stopping = stoppingAnswer(state);
  if (stopping) finish(desk, stopping);
  forgetSuspended(desk, cause);
  desk.clearAllTimers(cause);
}

/** Nothing of what was said counts any more. */
export function forget(desk: Desk, cause: Cause): void {
  const { state } = desk;
  state.history = [];
  errands.leaveAll(desk);
  state.askedBack = null;
  state.caller.answerLength = null;
  state.unheardInARow = 0;
  desk.tell({ kind: 'fresh' }, cause);
}

export function startAfresh(desk: Desk): void {
  const cause: Cause = { kind: 'freshAsked' };
  dropAll(desk, cause);
  if (desk.state.ended) return;
  forget(desk, cause);
  greet(desk, cause);
}

/** The talk ends: it is said why, and whatever the caller does in the meantime, it ends after that. */
export function closeAsked(desk: Desk, { detail }: HappeningOf<'closeAsked'>): void {
  const { state } = desk;
  if (state.mustEnd !== null) return desk.ignore('closeAsked', 0);
  const cause: Cause = { kind: 'budgetSpent', detail };
  dropAll(desk, cause);
  if (state.ended) return;
  state.mustEnd = cause;
  desk.setTimer('closing', MOST_CLOSING_MS, { kind: 'lineMaySayNothing' });
  const { tooDear, farewell } = desk.plan.sayings;
  say(desk, newTurn(desk.newId(), 'silence'), tooDear || farewell, cause, { closing: true });
}

/** Nothing is said to whoever put the call on hold, and nobody is asked whether they are there. */
export function phoned(desk: Desk, { stage }: HappeningOf<'phoned'>): void {
  if (stage !== 'on hold') return;
  interrupt(desk, { kind: 'onHold' });
  noticeSilence(desk.state.floor);
  desk.clearTimer('firstWord', { kind: 'onHold' });
}

/** It comes back to the caller. */
export function notHandedOver(desk: Desk): void {
  const { noPerson } = desk.plan.sayings;
  if (noPerson !== '') desk.state.news.push(noPerson);
}

/** From now on the assistant only listens, and says nothing. */
export function tookOver(desk: Desk, { name }: HappeningOf<'tookOver'>): void {
  const { state } = desk;
  const cause: Cause = { kind: 'personTalks', name };
  if (state.turn) tellUnanswered(desk, state.turn, cause);
  dropAll(desk, cause);
  if (state.ended) return;
  state.news = [];
  state.floor.person = name;
  if (state.plan!.purpose === 'talk') state.plan = { ...desk.plan, purpose: 'listen' };
  desk.tell({ kind: 'person', name }, cause);
  desk.enter('listening', cause);
}

/** The assistant talks again, and says so. */
export function gaveBack(desk: Desk): void {
  const { state } = desk;
  if (state.floor.person === null) return desk.ignore('gaveBack', 0);
  const cause: Cause = { kind: 'personGone' };
  state.floor.person = null;
  state.plan = { ...desk.plan, purpose: 'talk' };
  desk.tell({ kind: 'person', name: null }, cause);
  const { backAgain } = desk.plan.sayings;
  if (backAgain !== '') state.news.push(backAgain);
  if (!state.turn && !currentAnswer(state)) desk.enter('listening', cause);
}

export function hushAsked(desk: Desk): void {
  const { state } = desk;
  if (liveAnswer(state)) interrupt(desk, { kind: 'hushAsked' });
  else desk.ignore('hushAsked', 0);
}

/** Nobody has spoken for a while though it was the caller's turn. */
export function firstWordRang(desk: Desk): void {
  const { state, plan } = desk;
  if (state.phase !== 'listening' || state.turn || liveAnswer(state) || stoppingAnswer(state)) return;
  noticeSilence(state.floor);
  const text = plan.sayings.silence;
  if (text !== '') say(desk, newTurn(desk.newId(), 'silence'), text, { kind: 'nobodySpoke' });
}

export function restRang(desk: Desk): void {
  pushToTalk.shut(desk);
  desk.enter('resting', { kind: 'longSilence' });
}

export function swapAsked(desk: Desk, { role, engine }: HappeningOf<'swapAsked'>): void {
  const { order } = desk.state.lineup;
  order[role] = [engine, ...order[role].filter((one) => one !== engine)];
  desk.tell({ kind: 'swapped', role, engine }, { kind: 'engineSwapped' });
}

/**
 * Another language: from the next segment, thought and phrase on. What was begun in the old one and not heard
 * is dropped.
 */
export function languageSet(desk: Desk, { hears, speaks, lineup }: HappeningOf<'languageSet'>): void {
  const { state } = desk;
  dropSpeculative(desk, { kind: 'languageSet' });
  const { plan } = desk;
  const spoken = primaryOf(speaks);
  const sayings = plan.sayingsIn?.[spoken] ?? languageOf(speaks).sayings;
  const isSame = spoken === primaryOf(spokenLanguage(plan));
  state.plan = { ...plan, language: hears, speaks, sayings: isSame ? plan.sayings : sayings };
  state.lineup.order = lineup;
  desk.tell({ kind: 'languageSet', hears, speaks }, { kind: 'languageSet' });
}

export function engineIs({ state }: Desk, { engine, resting }: HappeningOf<'engineIs'>): void {
  if (resting === null) delete state.lineup.resting[engine];
  else state.lineup.resting[engine] = resting;
}
