/**
 * The conductor: the pure state machine of one conversation. Happenings go in, orders come out; it has no
 * clock, does no I/O and never waits. The same happenings always give the same orders.
 *
 * A happening goes to the machine that it concerns; what the machine cannot do by itself it raises as a
 * signal, which a flow works off, first in, first out, before the orders are returned.
 */
import type { Happening, HappeningOf } from './contract/happenings.js';
import type { Order, TimerName } from './contract/orders.js';
import { Desk, type Signal } from './state/desk.js';
import * as answerFlow from './flows/answer-flow.js';
import { speculate } from './flows/head-start.js';
import * as errandFlow from './flows/errand-flow.js';
import { hangUp } from './flows/hang-up.js';
import * as talkFlow from './flows/talk-flow.js';
import * as turnFlow from './flows/turn-flow.js';
import * as writtenFlow from './flows/written-flow.js';
import * as bargeIn from './machines/barge-in.js';
import * as endOfTurn from './machines/end-of-turn.js';
import * as generation from './machines/generation.js';
import * as keypad from './machines/keypad.js';
import * as listening from './machines/listening.js';
import * as pushToTalk from './machines/push-to-talk.js';
import * as speech from './machines/speech.js';
import * as waking from './machines/waking.js';
import { newState, type State } from './state/state.js';

/** What would keep a talk going that is to end. */
const TOO_LATE = new Set<Happening['kind']>([
  'typed',
  'keyed',
  'pressed',
  'released',
  'floorSet',
  'freshAsked',
  'voiceBegan',
  'voiceGoes',
  'voicePaused',
  'voiceEnded',
]);

type Handlers<Of extends { kind: string }> = {
  [K in Of['kind']]: (desk: Desk, of: Extract<Of, { kind: K }>) => void;
};

const HAPPENINGS: Handlers<Happening> = {
  joined: talkFlow.joined,
  left: talkFlow.left,
  freshAsked: talkFlow.startAfresh,
  closeAsked: talkFlow.closeAsked,
  hushAsked: talkFlow.hushAsked,
  swapAsked: talkFlow.swapAsked,
  languageSet: talkFlow.languageSet,
  engineIs: talkFlow.engineIs,
  typed: writtenFlow.typed,
  keyed: keypad.keyed,
  phoned: talkFlow.phoned,
  notHandedOver: talkFlow.notHandedOver,
  tookOver: talkFlow.tookOver,
  gaveBack: talkFlow.gaveBack,
  pressed: pushToTalk.pressed,
  released: pushToTalk.released,
  floorSet: pushToTalk.floorSet,
  ducked: () => undefined,
  voiceBegan: (desk, happening) => {
    waking.watch(desk, happening.atMs);
    listening.voiceBegan(desk, happening);
  },
  voiceGoes: (desk, happening) => {
    waking.watch(desk, happening.atMs);
    bargeIn.goesOn(desk, happening);
    listening.voiceGoes(desk, happening);
  },
  voicePaused: listening.voicePaused,
  voiceEnded: (desk, happening) => {
    waking.endWatch(desk);
    listening.voiceEnded(desk, happening);
  },
  partial: (desk, happening) => {
    if (!waking.watched(desk, happening.recognition, happening.words, false))
      listening.partial(desk, happening);
  },
  final: (desk, happening) => {
    if (!waking.watched(desk, happening.recognition, happening.words, true)) listening.final(desk, happening);
  },
  recognitionTrouble: (desk, happening) => {
    if (!waking.watched(desk, happening.recognition, [], true)) listening.recognitionTrouble(desk, happening);
  },
  piece: generation.piece,
  called: generation.called,
  thoughtDone: generation.thoughtDone,
  thoughtLate: generation.thoughtLate,
  thoughtTrouble: generation.thoughtTrouble,
  errandDone: errandFlow.errandDone,
  wrote: errandFlow.wrote,
  undelivered: errandFlow.undelivered,
  audio: speech.audio,
  synthesisTrouble: speech.synthesisTrouble,
  played: speech.played,
  rang,
};

const SIGNALS: Handlers<Signal> = {
  voiceOn: turnFlow.voiceOn,
  wentOn: turnFlow.wentOn,
  fellSilent: turnFlow.fellSilent,
  stretchOver: turnFlow.stretchOver,
  wordsKnown: turnFlow.wordsKnown,
  turnEnded: turnFlow.turnEnded,
  floorOpened: turnFlow.floorOpened,
  keyDown: turnFlow.keyDown,
  keyUp: turnFlow.keyUp,
  graceOver: turnFlow.graceOver,
  keyTouched: writtenFlow.keyTouched,
  keysOver: writtenFlow.keysOver,
  bargedIn: turnFlow.bargedIn,
  wasNothing: turnFlow.wasNothing,
  firstSound: endOfTurn.firstSound,
  textGrew: answerFlow.textGrew,
  written: answerFlow.written,
  errandsCalled: errandFlow.called,
  thinkingFailed: answerFlow.thinkingFailed,
  speakingFailed: answerFlow.speakingFailed,
  spoken: answerFlow.settled,
  flushed: answerFlow.settled,
};

const TIMERS: Record<TimerName, (desk: Desk) => void> = {
  endpoint: endOfTurn.endpointRang,
  segment: listening.segmentRang,
  finalDue: listening.finalDueRang,
  release: pushToTalk.releaseRang,
  held: pushToTalk.heldRang,
  keys: keypad.keysRang,
  headStart: speculate,
  filler: answerFlow.fillerRang,
  hushDue: answerFlow.hushDueRang,
  rest: talkFlow.restRang,
  firstWord: talkFlow.firstWordRang,
  closing: hangUp,
};

export class Conductor {
  private state: State;

  /** A new conversation, or one that is taken up from what `snapshot` gave. */
  constructor(snapshot?: State) {
    this.state = snapshot ? copy(snapshot) : newState();
  }

  /** The whole state as plain data. */
  snapshot(): State {
    return copy(this.state);
  }

  /** What is to be done now that this has happened, in order. */
  conduct(happening: Happening): Order[] {
    const { state } = this;
    const desk = new Desk(state, happening.nowMs);
    if (state.ended || (state.mustEnd !== null && TOO_LATE.has(happening.kind))) {
      desk.ignore(happening.kind, 0);
      return desk.orders;
    }
    handle(HAPPENINGS, desk, happening);
    const mayConclude = (came: readonly (Happening['kind'] | Signal['kind'])[]) =>
      came.some((kind) => turnFlow.MAY_CONCLUDE.has(kind));
    for (let may = mayConclude([happening.kind, ...this.workOff(desk)]); may && !state.ended;) {
      const did = turnFlow.conclude(desk);
      may = mayConclude(this.workOff(desk)) || did;
    }
    if (!state.ended) waking.conclude(desk);
    return desk.orders;
  }

  /** Of a talk that has ended nothing more is done. @returns the signals that there were */
  private workOff(desk: Desk): Signal['kind'][] {
    const came: Signal['kind'][] = [];
    for (let next = desk.nextSignal(); next; next = desk.nextSignal()) {
      came.push(next.kind);
      if (!this.state.ended) handle(SIGNALS, desk, next);
    }
    return came;
  }
}

function handle<Of extends { kind: string }>(handlers: Handlers<Of>, desk: Desk, of: Of): void {
  (handlers[of.kind as Of['kind']] as (desk: Desk, of: Of) => void)(desk, of);
}

function copy(state: State): State {
  return JSON.parse(JSON.stringify(state)) as State;
}

function rang(desk: Desk, { timer }: HappeningOf<'rang'>): void {
  const { timers } = desk.state;
  const name = (Object.keys(timers) as TimerName[]).find((key) => timers[key] === timer);
  if (!name) return desk.ignore('rang', timer);
  delete timers[name];
  TIMERS[name](desk);
}
