/** What other packages may use of core: nothing else of it is public. */
export { Fault, type FaultCode } from './common/faults.js';
export type { HeardWord, WordTime } from './vocabulary/words.js';
export { ENGINE_ROLES, type EngineRole } from './vocabulary/engines.js';
export { ANSWER_LENGTHS, type AnswerLength } from './vocabulary/answer-length.js';
export { primaryOf } from './vocabulary/language-tag.js';
export {
  HOUSE_RATE_HZ,
  joinPcm16,
  mixDown,
  msOfSamples,
  pcm16Bytes,
  pcm16FromBytes,
  samplesOfMs,
  slicePcm16,
  toFloats,
  toPcm16,
} from './audio/samples.js';
export { bandLevels, NARROW_RATE_HZ, UpperBand } from './audio/upper-band.js';
export {
  interleaved,
  readWav,
  WAV_HEAD_BYTES,
  wavHead,
  wavLayout,
  writeWav,
  type WavLayout,
} from './audio/wav.js';
export { A_LAW, MU_LAW } from './audio/g711.js';
export { G722Decoder, G722Encoder } from './audio/g722.js';
export { resample, Resampler } from './audio/resampler.js';
export { audibleEdges, DUCKED_GAIN, levelDb, SILENCE_DB } from './audio/levels.js';
export { ECHO_LOOK_HZ, findEcho, testSweep, type Echo } from './audio/sound-check.js';
export { Meter, QUIET_READING, type MeterReading } from './audio/meter.js';
export { Playout, type PlayedReport, type SpeechPart } from './audio/playout.js';
export { AT_ONCE, mixPcm16, VoiceQueue, WHOLE } from './audio/voice-queue.js';
export { JitterBuffer, type JitterCounts } from './telephone/jitter-buffer.js';
export { Concealment } from './telephone/concealment.js';
export { keyTones, TELEPHONE_KEYS, ToneDetector, type Key } from './telephone/tones.js';
export { FRAME_MS, FRAME_SAMPLES, VoiceFeatures } from './hearing/voice-features.js';
export { INPUTS, runNet, VoiceActivity, VoiceInputs } from './hearing/voice-activity.js';
export type { Net } from './hearing/voice-weights.js';
export { Ear, OVERLAP_PRE_ROLL_MS, PRE_ROLL_MS, TAIL_MS, type EarEvent } from './hearing/ear.js';
export {
  cheapestShare,
  END_FEATURES,
  logitOfPause,
  pauseLawOf,
  probabilityAfter,
  probabilityOfEnd,
  sigmoid,
  type PauseLaw,
} from './turn-end/probability.js';
export { ExpectedPhrases } from './hearing/expectation.js';
export { PhraseSounds, type Sounds } from './hearing/phrase-sounds.js';
export { PHONES, unknownPhones } from './hearing/phone-costs.js';
export { bySound } from './hearing/by-sound.js';
export { Segmenter, type SoundSegment } from './hearing/segmenter.js';
export { newSettling, settle } from './hearing/settling.js';
export { cuesOf, webVtt, type Cue } from './hearing/webvtt.js';
export { dictionaryWords, expandPhrases, type Expected } from './hearing/expected-phrases.js';
export { arpaOf } from './hearing/trigram.js';
export { languageOf, LANGUAGES } from './language/language.js';
export { seeded } from './common/seeded.js';
export {
  acts,
  spokenLanguage,
  USUAL_MANNERS,
  type Floor,
  type Manners,
  type Plan,
} from './conductor/contract/plan.js';
export type { CallStage, Happening, HappeningOf, Unstamped } from './conductor/contract/happenings.js';
export type { ErrandTold, Order, OrderOf, Phase, Told } from './conductor/contract/orders.js';
export { inWords, type Leaving } from './conductor/contract/causes.js';
export { toldInWords } from './conductor/contract/in-words.js';
export type { TurnReport } from './conductor/contract/report.js';
export { Conductor } from './conductor/conductor.js';
export { FINAL_LATE_MS } from './simulation/recogniser.js';
export {
  playTalk,
  USUAL_TIMES,
  type HeardCaller,
  type PlayedTalk,
  type PlayOptions,
} from './simulation/play-talk.js';
export { replay } from './simulation/replay.js';
export { JournalPacker, JournalUnpacker } from './journal/pack.js';
export { JOURNAL_VERSION } from './journal/version.js';
export { captionsOf } from './journal/folds.js';
export {
  forbidden,
  isThisMachine,
  speaks,
  type EngineFacts,
  type Reached,
  type Stay,
} from './lineup/choose.js';
export { EngineHealth, USUAL_DEADLINES, type Deadlines } from './lineup/health.js';
export { KEPT_SOUND } from './conductor/state/lineup.js';
export { writtenWords } from './conductor/state/turn.js';
export { TAP_MS } from './conductor/machines/push-to-talk.js';
export type { Slots } from './language/template.js';
export { dayNumber, dayOfNumber, momentIn, unixMsOf, weekdayOf } from './calendar/calendar.js';
export {
  newErrands,
  type Errands,
  type NamedErrand,
  type Run,
  type RunEnding,
  type RunOutcome,
} from './errands/contract.js';
export {
  checkContacts,
  contactChoices,
  NO_CONTACTS,
  peopleOf,
  type Contact,
  type ContactList,
  type Contacts,
} from './errands/contacts.js';
export type { Grammar } from './grammar/grammar.js';
export { readSrgs, writeSrgs } from './grammar/srgs.js';
export { readJsgf, writeJsgf } from './grammar/jsgf.js';
export { ErrandBook } from './errands/book.js';
export type { DialogueContext } from './errands/moves.js';
export { hearErrand } from './errands/dialogue.js';
export { tokensOf } from './language/tokens.js';
export { SLOT_KINDS, type Choice, type Slot, type SlotValue } from './slots/common/slot.js';
export { sayValue } from './slots/values.js';
export { fillIn } from './errands/sentences.js';
export { exampleSentences, sharedBeginnings, trySayings, wrongExample } from './errands/try.js';
export { estimateWordTimes, pauseAfter } from './speaking/heard-ledger.js';
export { speakable, spokenPhrases } from './speaking/speakable.js';
export { cutPiece, cutRest, newCutter } from './speaking/phrase-cutter.js';
export {
  addCalls,
  addEntry,
  MOST_ROUNDS,
  noSuchFunction,
  withoutCalls,
  type Call,
  type CallableFunction,
  type Entry,
  type Role,
} from './thinking/history.js';
export { AnswerBook } from './thinking/authored-answers.js';
export { shadowedPatterns } from './thinking/shadowed.js';
export { percentile } from './measure/percentiles.js';
export {
  addErrors,
  alignWords,
  comparableWords,
  countErrors,
  errorRate,
  errorsIn,
  wordErrors,
  type WordErrors,
} from './measure/word-errors.js';
export {
  NOTHING_USED,
  priceOf,
  standingPrice,
  sumOf,
  withOther,
  type CostSum,
  type Prices,
  type Use,
  type Used,
  type Waste,
} from './measure/cost.js';
