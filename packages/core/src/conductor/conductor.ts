/**
 * The conductor: the pure state machine of one conversation. Happenings go in, orders come out;
 * it has no clock, does no I/O and never waits. The same happenings always give the same orders.
 */
import * as answering from './answering-part.js';
import { considerHeadStart } from './ahead-part.js';
import { Desk } from './desk.js';
import * as ending from './ending-part.js';
import * as hearing from './hearing-part.js';
import type { Happening, HappeningOf } from './happenings.js';
import { finishReply, hangUp, HUSH_ASKED, interrupt, reportTurn } from './interrupting-part.js';
import type { Order } from './orders.js';
import type { Plan } from './plan.js';
import { fillerRang } from './pace-part.js';
import { engineIs, languageSet, swapAsked, thoughtLate } from './relief-part.js';
import * as pressing from './pressing-part.js';
import { newState, turnText, type State } from './state.js';
import * as understanding from './understanding-part.js';

/** What would keep a talk going that is to end. */
const TOO_LATE = new Set<Happening['kind']>([
  'typed', 'pressed', 'released', 'floorSet', 'freshAsked', 'voiceBegan', 'voiceGoes', 'voicePaused', 'voiceEnded',
]); // prettier-ignore

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
    if (this.state.ended) {
      return [{ kind: 'ignore', happening: happening.kind, id: 0, reason: 'the caller has left' }];
    }
    const desk = new Desk(this.state, happening.nowMs);
    this.dispatch(desk, happening);
    if (!this.state.ended) understanding.concludeIfComplete(desk);
    return desk.orders;
  }

  private dispatch(desk: Desk, happening: Happening): void {
    if (this.state.mustEnd !== null && TOO_LATE.has(happening.kind)) return desk.ignore(happening.kind, 0);
    switch (happening.kind) {
      case 'joined':
        this.state.plan = happening.plan;
        this.state.floor = happening.plan.manners.floor;
        this.state.lineup = lineupOf(happening.plan);
        return answering.greet(desk, 'the caller has joined');
      case 'left':
        return leave(desk, happening);
      case 'typed':
        return hearing.typed(desk, happening);
      case 'pressed':
        return pressing.pressed(desk, happening);
      case 'released':
        return pressing.released(desk, happening);
      case 'floorSet':
        return pressing.floorSet(desk, happening);
      case 'hushAsked':
        return hushAsked(desk);
      case 'freshAsked':
        return understanding.startAfresh(desk);
      case 'played':
        return answering.played(desk, happening);
      case 'voiceBegan':
        return hearing.voiceBegan(desk, happening);
      case 'voiceGoes':
        return hearing.voiceGoes(desk, happening);
      case 'voicePaused':
        ending.voicePaused(desk, happening);
        return considerHeadStart(desk);
      case 'ducked':
        return;
      case 'voiceEnded':
        return hearing.voiceEnded(desk, happening);
      case 'partial':
        return hearing.partial(desk, happening);
      case 'final':
        return hearing.final(desk, happening);
      case 'recognitionTrouble':
        return hearing.recognitionTrouble(desk, happening);
      case 'piece':
        return answering.piece(desk, happening);
      case 'thoughtDone':
        return answering.thoughtDone(desk, happening);
      case 'thoughtTrouble':
        return answering.thoughtTrouble(desk, happening);
      case 'thoughtLate':
        return thoughtLate(desk, happening);
      case 'swapAsked':
        return swapAsked(desk, happening);
      case 'languageSet':
        return languageSet(desk, happening);
      case 'closeAsked':
        return understanding.closeAsked(desk, happening);
      case 'engineIs':
        return engineIs(desk, happening);
      case 'audio':
        return answering.audio(desk, happening);
      case 'synthesisTrouble':
        return answering.synthesisTrouble(desk, happening);
      case 'rang':
        return rang(desk, happening);
    }
  }
}

function lineupOf({ lineup }: Plan): State['lineup'] {
  return { stt: [...lineup.stt], llm: [...lineup.llm], tts: [...lineup.tts] };
}

function copy(state: State): State {
  return JSON.parse(JSON.stringify(state)) as State;
}

function rang(desk: Desk, { timer }: HappeningOf<'rang'>): void {
  const { state } = desk;
  const name = (Object.keys(state.timers) as (keyof typeof state.timers)[]).find(
    (key) => state.timers[key] === timer,
  );
  if (!name) return desk.ignore('rang', timer);
  delete state.timers[name];
  if (name === 'endpoint') return ending.endpointRang(desk);
  if (name === 'segment') return ending.segmentRang(desk);
  if (name === 'filler') return fillerRang(desk);
  if (name === 'finalDue') return hearing.finalDueRang(desk);
  if (name === 'release') return pressing.releaseRang(desk);
  if (name === 'firstWord') return understanding.firstWordRang(desk);
  if (name === 'held') return pressing.heldRang(desk);
  if (name === 'closing') return hangUp(desk);
  if (name === 'hushDue') return state.reply ? finishReply(desk, state.reply) : undefined;
  desk.enter('resting', 'nobody spoke for a long time');
}

function hushAsked(desk: Desk): void {
  if (desk.state.reply) return interrupt(desk, HUSH_ASKED);
  desk.ignore('hushAsked', 0);
}

function leave(desk: Desk, { why }: HappeningOf<'left'>): void {
  const { turn } = desk.state;
  // What was said last and never answered is not lost.
  if (turn && turnText(desk.plan, turn) !== '') reportTurn(desk, turn, null, '', why);
  understanding.dropAll(desk, why);
  desk.tell({ kind: 'farewell', why }, why);
  desk.state.ended = true;
}
