/**
 * Why something is ordered: a closed union with its values. Code compares causes; the sentence is for a
 * person, and nothing reads it. A new cause is a line in the table.
 */
import type { RunEnding } from '../../errands/contract.js';
import { groundsInWords, type Grounds, type ValuesOf } from '../../vocabulary/grounds.js';

type Ms = { ms: number };
type S = { s: number };
type Said = { words: string };
type Detail = { detail: string };

/** How a caller leaves. */
const LEAVINGS = {
  goodbye: 'the caller said goodbye to the line',
  recordingOver: 'the recording ended',
  closed: 'the line was closed',
  lost: 'the line was lost and did not come back',
  notReading: 'the line did not read',
  refused: 'what the line sent was refused',
  stopped: 'the service was stopped',
  hungUp: 'the caller hung up',
  handedOver: 'a person has taken over',
  soundLost: 'no sound came from the telephone any more',
  failed: 'the talk failed',
  keyRevoked: 'the key with which it was begun holds no more',
};
export type Leaving = keyof typeof LEAVINGS;

const SENTENCES = {
  // The line and the talk as a whole.
  joined: () => 'the caller has joined',
  left: ({ how }: { how: Leaving }) => LEAVINGS[how],
  longSilence: () => 'nobody spoke for a long time',
  nobodySpeaks: () => 'nobody speaks',
  firstWordAwaited: () => 'the first word is waited for',
  nobodySpoke: () => 'nobody has spoken for a while',
  freshAsked: () => 'the caller asked for a fresh start',
  hushAsked: () => 'the caller asked for silence',
  typed: () => 'the caller typed',
  keyed: () => 'the caller pressed keys',
  moreKeysAwaited: () => 'more keys may come',
  onHold: () => 'the caller put the call on hold',
  personTalks: ({ name }: { name: string }) => `${name} talks with the caller`,
  personGone: () => 'the person has left',
  budgetSpent: ({ detail }: Detail) => detail,
  goodbyeSaid: () => 'goodbye was said',
  lineMaySayNothing: () => 'a line that does not say what it plays is not waited for',
  ofThePast: () => 'it belongs to something that has ended',
  timerSetAnew: () => 'it is set anew',
  itsOwnerIsOver: () => 'what it was set for is over',
  // The caller's voice.
  callerSpeaks: () => 'the caller speaks',
  callerGoesOn: () => 'the caller goes on speaking',
  voiceNoticed: () => 'the ear noticed voice',
  silenceNoticed: () => 'the ear noticed silence',
  voicePaused: () => 'the voice has paused',
  voiceEnded: () => 'the voice has ended',
  voiceGoesOn: () => 'the voice goes on',
  segmentTooLong: ({ s }: S) => `it is ${s} s long: no segment is longer`,
  // Recognition.
  provisionalWords: () => 'recognition has provisional words',
  finalWords: () => 'recognition of the segment is final',
  finalWantedSoon: () => 'the final words are wanted soon',
  finalAwaited: () => 'the last final has not come yet',
  finalOverdue: () => 'its final is overdue',
  allFinals: () => 'all finals are there',
  hearingFailed: () => 'recognition failed',
  // The end of a turn.
  evidence: ({ grounds }: { grounds: Grounds }) => groundsInWords(grounds),
  turnOver: () => 'the turn is over',
  turnTooLong: ({ s }: S) => `it is ${s} s long: no turn is longer`,
  endIsNear: () => 'the end is near',
  otherWords: () => 'the turn ended with other words',
  wordsChanged: () => 'the words have changed',
  onlyListening: () => 'it is only listened',
  // The key.
  keyPressed: () => 'the caller pressed the key',
  keyPressedAgain: () => 'the key was pressed again',
  keyReleased: () => 'the key was released',
  keyReleasedBefore: () => 'the key was released a while ago',
  keyDownTooLong: ({ s }: S) => `the key was down for ${s} s: no turn is longer`,
  noTurnIsLonger: () => 'no turn is longer',
  voiceMayFinish: () => 'the voice goes on: it may finish',
  nothingWhilePressed: () => 'nothing was said while the key was down',
  floorIs: ({ floor }: { floor: 'open' | 'press' | 'once' }) =>
    `the floor is ${{ open: 'open', press: 'the key’s', once: 'opened by a press' }[floor]}`,
  floorOpened: () => 'a press opened the floor',
  // Rest.
  wakeAwaited: () => 'it rests, and may be woken',
  awake: () => 'it is awake',
  woken: ({ words }: Said) => `the caller said "${words}"`,
  // A voice over the assistant.
  spokeOver: () => 'the caller began to speak over the assistant',
  spokeOverFor: ({ ms }: Ms) => `the caller spoke over the assistant for ${ms} ms`,
  stopSaid: ({ words }: Said) => `the caller said "${words}"`,
  expectedSaidOver: ({ words }: Said) => `the caller said "${words}", which is expected`,
  saidOver: ({ words }: Said) => `the caller said "${words}" over the assistant`,
  ownVoice: () => 'it is our own voice',
  echo: () => 'it was the echo of our own voice',
  soundWithoutWord: ({ ms }: Ms) => `${ms} ms of sound without a word: not an interruption`,
  tooLittle: ({ ms, words }: Ms & Said) => `${ms} ms, perhaps "${words}": too little for an interruption`,
  backchannel: ({ words }: Said) => `"${words}" only says that the caller listens`,
  overlapWordsWanted: () => 'what was said over the assistant is wanted',
  noWordOver: () => 'no word was said',
  onlyListened: () => 'the caller only listened',
  assistantHadFinished: () => 'the assistant had finished',
  // What was understood.
  denied: () => 'the caller denied it',
  unsureWords: ({ percent }: { percent: number }) => `the words are only ${percent} % certain`,
  farewellSaid: () => 'the caller said goodbye',
  lengthAsked: ({ wanted }: { wanted: 'shorter' | 'longer' }) => `the caller wants ${wanted} answers`,
  notUnderstood: () => 'no word was understood',
  nobodyHears: () => 'no engine hears the caller',
  nothingSaid: () => 'nothing was said',
  onlyNoise: ({ ms }: Ms) => `only ${ms} ms of sound, and no word in it: a noise`,
  voiceWithoutWord: ({ ms }: Ms) => `${ms} ms of voice, and no word was understood`,
  cameToLater: () => 'the caller had said it before, and now it is next',
  saidSomethingElse: () => 'the caller said something else',
  // Answering.
  headStart: ({ grounds }: { grounds: Grounds }) => `head start: ${groundsInWords(grounds)}`,
  headStartRight: () => 'the head start was right',
  answerGrows: () => 'the answer grows',
  callerWantsPerson: () => 'the caller asked for a person',
  asksForPerson: () => 'the engine asks for a person',
  mayTakeLong: () => 'the answer may take long',
  answerIsThere: () => 'the answer is there',
  thinkingFailed: ({ detail }: Detail) => `thinking failed: ${detail}`,
  speakingFailed: ({ detail }: Detail) => `synthesis failed: ${detail}`,
  phraseWritten: () => 'a phrase is written',
  soundComes: () => 'its sound begins to come',
  nextPhrase: () => 'it is the next phrase, and its sound is there',
  assistantSpeaks: () => 'the assistant speaks',
  playedWhole: () => 'the answer was played to its end',
  lineSaysWhatPlayed: () => 'the line says what was played',
  lineSaidWhatPlayed: () => 'the line has said what was played',
  nothingHeard: () => 'nothing of it was heard',
  calledUnknown: ({ names }: { names: string }) => `the model asked for ${names}, which there is not`,
  // Errands.
  errandSays: () => 'it belongs to an errand',
  dictationGoesOn: () => 'a dictation goes on over pauses',
  dictationOver: () => 'the words end the dictation',
  errandWords: () => 'the words mean something to an errand',
  errandConfirmed: () => 'the caller wants it done',
  errandCalled: () => 'the model asked for it',
  errandOver: ({ ending }: { ending: RunEnding }) => `the errand is ${ending}`,
  errandStopped: () => 'the caller called it off',
  // Engines.
  engineFailed: ({ detail }: Detail) => detail,
  engineLate: () => 'the first engine is late',
  otherWasFirst: () => 'another engine answered first',
  itWasFirst: () => 'it answered first',
  engineSwapped: () => 'it serves from the next one on',
  languageSet: () => 'another language is spoken from now on',
};

export type Cause = {
  [K in keyof typeof SENTENCES]: { kind: K } & ValuesOf<(typeof SENTENCES)[K]>;
}[keyof typeof SENTENCES];

/** The sentence for a person. */
export function inWords(cause: Cause): string {
  return (SENTENCES[cause.kind] as (values: Cause) => string)(cause);
}
