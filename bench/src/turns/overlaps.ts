/** Sounds over the assistant's voice: interruptions, nods, coughs and knocks, or nothing but its own echo. */
import {
  DUCKED_GAIN,
  Ear,
  inWords,
  levelDb,
  OVERLAP_PRE_ROLL_MS,
  pauseAfter,
  samplesOfMs,
  seeded,
  spokenPhrases,
  toPcm16,
  HOUSE_RATE_HZ,
  USUAL_TIMES,
  type Plan,
  type PlayedTalk,
  type WordTime,
} from '@verbalon/core';
import { earEvents, type Heard, type Recogniser } from './hear.js';
import { convolved, cough, hummedYes, knock, room, scaledTo, white } from './noises.js';
import { play } from './play.js';
import { pick, type Half } from './sentences.js';
import { laid, msOf, VOICES, type Speakers } from './set.js';

export type OverlapKind = 'interruption' | 'nod' | 'cough or knock' | 'echo';

const STOPS = {
  tune: ['Stop.', 'Wait.', 'No.', 'Hold on.'],
  report: ['Wait, wait.', 'Stop it.', 'No, no.', 'Excuse me.', 'Stop.', 'Wait.'],
};
const SAYINGS: Record<Half, readonly string[]> = {
  tune: [
    'What time is supper?',
    'I mean Saturday.',
    'And at Rowan Hut?',
    'We are five people.',
    'How far is it?',
    'Can you repeat that?',
    'Is the path open today?',
  ],
  report: [
    'When is breakfast?',
    'I want Friday.',
    'What about Saddle Hut?',
    'Make it four please.',
    'Can I bring my dog?',
    'That is not what I asked.',
    'How much does it cost?',
  ],
};
const NODS: Record<Half, readonly string[]> = {
  tune: ['Yeah.', 'Okay.', 'I see.', 'Uh huh.', 'Right.', 'hum'],
  report: ['Yes.', 'Uh huh.', 'Okay, right.', 'Sure.', 'All right.', 'hum'],
};
/** What it is saying in the meantime; its voice is nobody's of the callers. */
const ANSWER =
  'The path over the saddle is open today, and the snow has melted. From Heron Hut it takes four hours to reach the top, where you find a spring with good water. Behind it the path goes down through the old forest, so please keep to the left bank of the stream, and do not cross the lower bridge. The warden will meet you in the evening and show you the beds.';
const OWN_VOICE = 'awb';
const OWN_DB = -20;
const SPEECH_DB = -22;
const ROOM_DB = -66;

export type Echo = (played: Float32Array) => Float32Array;

export interface Overlapping {
  kind: OverlapKind;
  text: string;
  /** Its echo against its voice, in dB; null for none (headphones). */
  echoDb: number | null;
  atMs: number;
  toMs: number;
  /** The caller and the room; and what the line plays of it. */
  caller: Float32Array;
  own: Float32Array;
  /** What comes back of what is played. */
  echo: Echo | null;
}

/** Its voice: each phrase as it is cut, and when it is played when nothing comes between. */
export class OwnVoice {
  private constructor(
    private readonly spoken: Map<string, { audioMs: number; words: WordTime[] }>,
    readonly lane: Float32Array,
  ) {}

  static async speak(speakers: Speakers, firstMs: number): Promise<OwnVoice> {
    const texts = spokenPhrases(ANSWER);
    const spoken = new Map<string, { audioMs: number; words: WordTime[] }>();
    const parts: { atMs: number; samples: Float32Array }[] = [];
    let atMs = firstMs;
    for (const text of texts) {
      const { samples, words } = await speakers.say(text, OWN_VOICE);
      spoken.set(text, { audioMs: Math.floor(msOf(samples)), words });
      parts.push({ atMs, samples: scaledTo(samples, OWN_DB) });
      atMs +=
        Math.floor(msOf(samples)) + (text === texts.at(-1) ? 0 : pauseAfter(text)) + USUAL_TIMES.playingMs;
    }
    return new OwnVoice(spoken, laid(parts, atMs + 1_500));
  }

  say = (text: string) => this.spoken.get(text) ?? { audioMs: 1_000, words: [{ word: text, endMs: 900 }] };
}

/** When its first sound comes: the greeting is synthesised and played at once. */
export const FIRST_SOUND_MS = USUAL_TIMES.synthesisMs + USUAL_TIMES.playingMs;

export function planFor(plan: Plan): Plan {
  return {
    ...plan,
    greeting: ANSWER,
    manners: { ...plan.manners, speaksFirst: 'assistant', firstWordMs: 0 },
  };
}

/** A room that gives back its voice so much quieter, late. */
export function echoOf(own: Float32Array, db: number, random: () => number): Echo {
  const walls = room(120 + 380 * random(), random);
  const late = samplesOfMs(10 + 230 * random(), HOUSE_RATE_HZ);
  const back: Echo = (played) => {
    const out = new Float32Array(played.length);
    out.set(convolved(played, walls).subarray(0, Math.max(0, played.length - late)), late);
    return out;
  };
  const loud = (samples: Float32Array) => levelDb(samples.filter((one) => Math.abs(one) > 0.001));
  const scale = 10 ** ((db + loud(own) - loud(back(own))) / 20);
  return (played) => back(played).map((sample) => sample * scale);
}

async function soundOf(kind: OverlapKind, half: Half, random: () => number, speakers: Speakers) {
  const voice = () => [pick(VOICES[half], random), 0.95 + 0.15 * random(), 0.88 + 0.3 * random()] as const;
  if (kind === 'interruption') {
    const text = random() < 0.4 ? pick(STOPS[half], random) : pick(SAYINGS[half], random);
    return { text, sound: (await speakers.say(text, ...voice())).samples };
  }
  if (kind === 'nod') {
    const text = pick(NODS[half], random);
    if (text === 'hum') return { text: 'mm-hm', sound: hummedYes(random) };
    return { text, sound: (await speakers.say(text, ...voice())).samples };
  }
  const isCough = random() < 0.5;
  return { text: isCough ? 'cough' : 'knock', sound: isCough ? cough(random) : knock(random) };
}

export async function overlapping(
  kind: Exclude<OverlapKind, 'echo'>,
  half: Half,
  count: number,
  seed: number,
  speakers: Speakers,
): Promise<{ cases: Overlapping[]; voice: OwnVoice }> {
  const random = seeded(seed);
  const voice = await OwnVoice.speak(speakers, FIRST_SOUND_MS);
  const cases: Overlapping[] = [];
  for (let i = 0; i < count; i++) {
    const { text, sound } = await soundOf(kind, half, random, speakers);
    // A third wears headphones; the others hear it over a loudspeaker.
    const echoDb = i % 3 === 0 ? null : -6 - 14 * random();
    const loud = scaledTo(sound, SPEECH_DB + 5 * (random() - 0.5) - (kind === 'nod' ? 4 : 0));
    const atMs = 1_500 + 5_000 * random();
    const lengthMs = atMs + msOf(loud) + 3_500;
    const own = voice.lane.slice(0, samplesOfMs(lengthMs, HOUSE_RATE_HZ));
    const caller = laid([{ atMs, samples: loud }], msOf(own));
    const echo = echoDb === null ? null : echoOf(own, echoDb, random);
    const quiet = scaledTo(white(caller.length, random), ROOM_DB);
    const heard = caller.map((sample, at) => sample + quiet[at]!);
    cases.push({ kind, text, echoDb, atMs, toMs: atMs + msOf(loud), caller: heard, own, echo });
  }
  return { cases, voice };
}

/** Ten minutes of nothing but its echo, in rooms of all kinds. */
export async function echoOnly(minutes: number, db: number, seed: number, speakers: Speakers) {
  const random = seeded(seed);
  const voice = await OwnVoice.speak(speakers, FIRST_SOUND_MS);
  const each = msOf(voice.lane) / 60_000;
  const cases = Array.from({ length: Math.ceil(minutes / each) }, (): Overlapping => {
    const quiet = scaledTo(white(voice.lane.length, random), ROOM_DB);
    const echo = echoOf(voice.lane, db, random);
    return { kind: 'echo', text: '', echoDb: db, atMs: 0, toMs: 0, caller: quiet, own: voice.lane, echo };
  });
  return { cases, voice };
}

/**
 * From the order to duck to it being 20 dB quieter at the microphone, in ms; and how long it stays so, once
 * the caller is silent.
 */
const DUCK_LATE_MS = 50;
const DUCKED_AFTER_MS = 300;

/**
 * What the guarded ear hears of it. It is ducked when the ear notices a voice, as in life, and so is its
 * echo. (When it is hushed its echo goes on here: nothing after that is looked at.)
 */
export async function hearOver(one: Overlapping, recogniser: Recogniser): Promise<Heard> {
  const first = guarded(one, one.own, true).events.find(({ event }) => event.kind === 'voiceBegan');
  if (!first) return recogniser.hear(toPcm16(one.caller), []);
  const from = samplesOfMs(first.atMs + DUCK_LATE_MS, HOUSE_RATE_HZ);
  const to = samplesOfMs(Math.max(first.atMs, one.toMs) + DUCKED_AFTER_MS, HOUSE_RATE_HZ);
  const ducked = one.own.map((sample, at) => (at >= from && at < to ? sample * DUCKED_GAIN : sample));
  const { events, samples } = guarded(one, ducked, false);
  return recogniser.hear(samples, events, OVERLAP_PRE_ROLL_MS);
}

/** `toFirst`: only as far as the first thing that is noticed. */
function guarded({ caller, echo }: Overlapping, played: Float32Array, toFirst: boolean) {
  const ear = new Ear();
  const back = echo?.(played);
  const samples = toPcm16(caller.map((sample, at) => sample + (back?.[at] ?? 0)));
  const clean = new Int16Array(samples.length);
  let at = 0;
  let cleanTo = 0;
  let noticed = false;
  const events = earEvents(samples, (packet) => {
    if (toFirst && noticed) return [];
    const found = ear.hear(packet, played.subarray(at, at + packet.length));
    at += packet.length;
    clean.set(toPcm16(ear.clean), cleanTo);
    cleanTo += ear.clean.length;
    noticed ||= found.length > 0;
    return found;
  });
  return { samples: clean.subarray(0, cleanTo), events };
}

export interface OverlapResult {
  duckMs: number | null;
  hushMs: number | null;
  hushReason: string;
  /** From the end of the sound to its going on, where it had been stopped. */
  resumedMs: number | null;
  ducks: number;
  played: PlayedTalk;
}

export function judgeCase(one: Overlapping, heard: Heard, plan: Plan, voice: OwnVoice): OverlapResult {
  const played = play(plan, heard, { say: voice.say });
  const first = (kind: string, fromMs: number) =>
    played.orders.find(({ atMs, order }) => order.kind === kind && atMs >= fromMs);
  const hush = first('hush', 0);
  const again = hush && first('play', hush.atMs);
  return {
    duckMs: first('duck', one.atMs)?.atMs ?? null,
    hushMs: hush?.atMs ?? null,
    hushReason: hush ? inWords(hush.order.cause) : '',
    resumedMs: again ? again.atMs - one.toMs : null,
    ducks: played.orders.filter(({ order }) => order.kind === 'duck').length,
    played,
  };
}
