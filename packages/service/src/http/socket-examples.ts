/** What each message of the talk socket means, with an example that the tests check and, of the line's, send. */
import type { CallerMessage, ServiceMessage } from '@verbalon/protocol';

export const MEANINGS: Record<string, string> = {
  'caller.arrive':
    'First of all: which assistant, by what line, with what sound; or which talk to go on with',
  'caller.typed': 'A turn by keyboard',
  'caller.press': 'The key of push-to-talk goes down',
  'caller.release': 'The key goes up; a press of less than 300 ms is a tap, and the next press ends the turn',
  'caller.floor': 'From now on the floor is open, or the key’s',
  'caller.hush': 'The assistant is to stop',
  'caller.fresh': 'Forget everything, begin again',
  'caller.played':
    'So much of a speech has left the output; about every 100 ms, at its end, and flushed in answer to a hush',
  'caller.ducked':
    'The line heard a voice and made the assistant quieter by itself, for half a second unless it is told to duck',
  'caller.leave': 'Goodbye',
  'caller.language': 'The assistant is to hear, or to answer in, another language from now on',
  'caller.swap': 'Another engine is to serve from the next segment, thought or phrase on',
  'caller.wrote': 'A value that the caller wrote into the form of the errand that goes on',
  'caller.screen': 'What came of a screen of the service: done, or not',
  'caller.passed': 'What a `pass` of the service is to pass on as; what is left out stays as it was',
  'caller.piece': 'A piece of the page’s answer to a `think`',
  'caller.thought': 'The page’s answer is complete; or there is none, and why',
  'service.pass':
    'The caller’s page may change words, messages or a phrase before they pass on; only where it takes part in that stage',
  'service.think': 'The caller’s page is the model, and is to answer',
  'service.dropThought': 'That answer of the page is not wanted any more',
  'service.admitted': 'The talk begins; with its token a lost line goes on with it',
  'service.resumed': 'The talk goes on: so many items of the line had come',
  'service.state': 'Resting, listening, working or answering',
  'service.voice': 'The caller’s voice began or ended, before any word is known',
  'service.partial': 'Provisional words of the turn: settled ones stay, open ones may change',
  'service.final': 'The words of a segment, as they are written and spoken, with their times',
  'service.unheard': 'Nothing was understood, and why',
  'service.reply': 'A piece of the answer, as it is written',
  'service.speech': 'A phrase and the end of each word in it, before its sound',
  'service.answerLength': 'The caller wants shorter or longer answers from now on',
  'service.duck': 'Play the assistant 20 dB quieter',
  'service.unduck': 'Play it as loud as before',
  'service.hush': 'Flush what is queued and report what was played',
  'service.turn': 'The report of a turn',
  'service.relieved': 'Another engine took over within the turn, and why',
  'service.swapped': 'The engine that was asked for serves from now on',
  'service.languageSet': 'It hears and speaks these languages from now on',
  'service.handOver': 'An engine asks that a person takes over',
  'service.errand':
    'How an errand stands: what its slots hold, provisional while the caller speaks, and what is asked for',
  'service.screen':
    'An errand wants something opened, shown or filled on the caller’s screen; the line answers with a screen of its own',
  'service.spent': 'What the talk has cost so far, a sum for each currency',
  'service.fresh': 'Everything is forgotten',
  'service.trouble': 'What is wrong, and what to do; fatal when the line is closed',
  'service.farewell': 'The talk is over',
};

type Examples<M extends { kind: string }> = { [K in M['kind']]: Extract<M, { kind: K }> };

export const CALLER_EXAMPLES: Examples<CallerMessage> = {
  arrive: {
    kind: 'arrive',
    line: 'web',
    audio: { encoding: 's16le', rateHz: 48_000 },
    assistant: 'tansy',
    echo: 'some',
    language: 'en-GB',
  },
  typed: { kind: 'typed', text: 'What time is supper at Lantern Hut?' },
  wrote: { kind: 'wrote', slot: 'bunks', value: 4 },
  screen: { kind: 'screen', run: 1, done: true },
  press: { kind: 'press', capture: 96_000 },
  release: { kind: 'release', capture: 190_000 },
  floor: { kind: 'floor', floor: 'press' },
  hush: { kind: 'hush' },
  fresh: { kind: 'fresh' },
  played: { kind: 'played', speech: 12, sample: 24_000, capture: 288_000 },
  ducked: { kind: 'ducked', capture: 301_000 },
  leave: { kind: 'leave' },
  swap: { kind: 'swap', role: 'llm', engine: 'echo' },
  language: { kind: 'language', hears: 'en' },
  passed: { kind: 'passed', call: 3, text: 'Supper is at half past six.' },
  piece: { kind: 'piece', thought: 4, text: 'Supper is at ' },
  thought: { kind: 'thought', thought: 4 },
  takeOver: { kind: 'takeOver' },
  giveBack: { kind: 'giveBack' },
};

const times = {
  voiceBeganMs: 4_600,
  voiceEndedMs: 7_400,
  endpointMs: 8_000,
  finalMs: 7_750,
  soundMs: 8_420,
  endedMs: 11_000,
};

export const SERVICE_EXAMPLES: Examples<ServiceMessage> = {
  admitted: {
    kind: 'admitted', atMs: 0, conversation: '6f1c0d1e-2a3b-4c5d-8e9f-0a1b2c3d4e5f', assistant: 'tansy', recorded: true, wake: 'voice',
    audio: { encoding: 's16le', rateHz: 48_000 }, lineup: [{ role: 'stt', engine: 'ears', where: 'on-machine', state: 'ready' }],
    hears: 'en-GB', speaks: 'en-GB', floor: 'open', interrupt: 'voice', hint: 'Ask about paths, bunks and meals', token: 'Xk3v9sQ1bTz0aLwe',
  },
  resumed: { kind: 'resumed', atMs: 0, received: 412 },
  state: { kind: 'state', atMs: 4_600, state: 'listening' },
  voice: { kind: 'voice', atMs: 4_660, change: 'began', voiceMs: 4_600 },
  partial: { kind: 'partial', atMs: 5_600, turn: 3, settled: 'what time', open: 'is' },
  final: {
    kind: 'final', atMs: 7_750, turn: 3, recognition: 4, text: 'What time is supper at 6:30',
    words: [{ word: '6:30', spoken: 'six thirty', fromMs: 6_900, toMs: 7_400, confidence: 0.8 }], alternatives: ['what time is supper at six thirteen'],
  },
  unheard: { kind: 'unheard', atMs: 9_000, turn: 5, reason: 'no-words', why: '620 ms of voice, and no word was understood' },
  reply: { kind: 'reply', atMs: 8_300, turn: 3, text: ' is at' },
  speech: { kind: 'speech', atMs: 8_400, turn: 3, speech: 12, text: 'Supper is at 18:00.', words: [{ word: 'Supper', endMs: 380 }], estimated: false },
  answerLength: { kind: 'answerLength', atMs: 8_000, length: 'brief' },
  duck: { kind: 'duck', atMs: 9_100 },
  unduck: { kind: 'unduck', atMs: 9_400 },
  hush: { kind: 'hush', atMs: 9_280 },
  turn: {
    kind: 'turn', atMs: 11_000,
    report: {
      turn: 3, source: 'voice', text: 'What time is supper at Lantern Hut?', spoken: 'what time is supper at lantern hut', generated: 'Supper at Lantern Hut is at 18:00.',
      heard: 'Supper at Lantern Hut is at 18:00.', answered: true, interrupted: null, trouble: null, estimated: false,
      wait: { ms: 250, reason: 'it is a phrase that is expected here', completeness: 0.9 }, headStarts: { begun: 1, kept: true }, times, gap: { ms: 670, parts: [{ part: 'wait', ms: 250 }, { part: 'thinking', ms: 420 }] },
      flicker: 1, corrections: 0, reliefs: [],
    },
  },
  relieved: { kind: 'relieved', atMs: 8_900, turn: 9, role: 'llm', from: 'alder-mind', to: 'thinker', why: 'alder-mind answers 500' },
  languageSet: { kind: 'languageSet', atMs: 9_100, hears: 'en', speaks: 'de' },
  swapped: { kind: 'swapped', atMs: 9_000, role: 'tts', engine: 'voice' },
  joined: { kind: 'joined', atMs: 0, conversation: '0a4f2a52-6a5f-4e0e-9d63-5a1a7b1f0c11', person: null, known: { hut: 'Rowan Hut' } },
  person: { kind: 'person', atMs: 42_000, name: 'the warden' },
  handOver: { kind: 'handOver', atMs: 9_000, turn: 9, known: { hut: 'Rowan Hut' } },
  errand: {
    kind: 'errand', atMs: 7_800, run: 1, errand: 'book-bunks', title: 'book bunks', stage: 'asking', provisional: false, asking: 'night',
    slots: [{ name: 'hut', value: 'Rowan Hut', text: 'Rowan Hut', settled: true, fromMs: 6_900, toMs: 7_400 }],
  },
  screen: { kind: 'screen', atMs: 9_100, run: 1, open: 'https://tarnside.example/huts/rowan' },
  pass: { kind: 'pass', atMs: 9_100, call: 3, stage: 'spoken', text: 'Supper is at 18:30.' },
  think: { kind: 'think', atMs: 8_000, thought: 4, turn: 3, text: 'when is supper', messages: [{ role: 'caller', text: 'when is supper' }], language: 'en' },
  dropThought: { kind: 'dropThought', atMs: 8_600, thought: 4 },
  spent: { kind: 'spent', atMs: 12_000, sums: [{ currency: 'EUR', cost: 0.0031, wasted: 0.0004, saved: 0 }] },
  fresh: { kind: 'fresh', atMs: 20_000 },
  trouble: {
    kind: 'trouble', atMs: 8_000, code: 'engine-down', title: 'An engine does not answer', detail: 'thinker: nothing listens there',
    remedy: 'See GET /v1/engines for its state.',
  },
  farewell: { kind: 'farewell', atMs: 30_000, why: 'goodbye was said' },
}; // prettier-ignore
