/**
 * What a page really hears and plays, recorded in the page itself: gaps and interruptions without anything
 * that is reported.
 */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { HOUSE_RATE_HZ, readWav, samplesOfMs, toPcm16, writeWav } from '@verbalon/core';

/** A level every 256 samples, in dBFS, with its time on the page's own sound clock, in ms. */
export interface Levels {
  atMs: number[];
  db: number[];
}
export interface PageSound {
  caller: Levels;
  assistant: Levels;
}
export type Saying = { fromMs: number; toMs: number };

/** Quieter than this nothing of the assistant sounds; ducked by 20 dB it still does. */
const SILENT_DB = -55;
/** The caller's voice begins where it is louder than its loudest by this. */
const VOICE_BELOW_DB = 25;
/** So long nothing sounds where the assistant has stopped, in ms: longer than between two phrases. */
const STOPPED_MS = 700;
const ROUNDS = 4;
/** After the greeting, in ms. */
const FIRST_MS = 9_000;
/**
 * When the assistant is interrupted after a question's end, and when the next question comes after that
 * one's, in ms.
 */
const INTERRUPTED_MS = 4_200;
const ANSWERED_MS = 9_000;

/** Baker's question and Baker's interruption, again and again. @returns where its sayings are */
export function writeInterrupter(recordings: string, path: string): { sayings: Saying[]; lengthMs: number } {
  const { channels, rateHz } = readWav(readFileSync(join(recordings, 'baker-interrupts.wav')));
  const { spoken } = JSON.parse(readFileSync(join(recordings, 'baker-interrupts.json'), 'utf8')) as {
    spoken: Saying[];
  };
  const [question, interruption] = spoken;
  const sayings: Saying[] = [];
  const parts: { atMs: number; of: Saying }[] = [];
  let atMs = FIRST_MS;
  for (let round = 0; round < ROUNDS; round++)
    for (const [of, pauseMs] of [
      [question!, INTERRUPTED_MS],
      [interruption!, ANSWERED_MS],
    ] as const) {
      const lengthMs = of.toMs - of.fromMs;
      parts.push({ atMs, of });
      sayings.push({ fromMs: atMs, toMs: atMs + lengthMs });
      atMs += lengthMs + pauseMs;
    }
  const all = new Float32Array(samplesOfMs(atMs, rateHz));
  for (const { atMs: from, of } of parts)
    all.set(
      channels[0]!.subarray(samplesOfMs(of.fromMs, rateHz), samplesOfMs(of.toMs, rateHz)),
      samplesOfMs(from, rateHz),
    );
  if (rateHz !== HOUSE_RATE_HZ) throw new Error('the recordings are not at the house rate');
  writeFileSync(path, writeWav([toPcm16(all)], rateHz));
  return { sayings, lengthMs: atMs };
}

/**
 * In the page, before its own scripts: taps what comes from the microphone and what goes to the loudspeaker.
 */
export function keepSound(): void {
  const BLOCK = 1_024;
  const STEP = 256;
  const levels = (): Levels => ({ atMs: [], db: [] });
  const kept: PageSound = { caller: levels(), assistant: levels() };
  Object.assign(window, { sound: kept });

  const connect = AudioNode.prototype.connect as (this: AudioNode, to: AudioNode) => AudioNode;
  const tap = (context: BaseAudioContext, { atMs, db }: Levels): AudioNode => {
    const node = context.createScriptProcessor(BLOCK, 1, 1);
    node.onaudioprocess = ({ inputBuffer, playbackTime }) => {
      const samples = inputBuffer.getChannelData(0);
      for (let at = 0; at < samples.length; at += STEP) {
        let sum = 0;
        for (let i = at; i < at + STEP; i++) sum += samples[i]! ** 2;
        atMs.push((playbackTime + at / context.sampleRate) * 1000);
        db.push(10 * Math.log10(sum / STEP + 1e-12));
      }
    };
    // It is only run where it leads somewhere; what it gives is silence.
    connect.call(node, context.destination);
    return node;
  };
  AudioNode.prototype.connect = function (this: AudioNode, ...given: unknown[]) {
    const [to] = given as [AudioNode];
    if (to === this.context.destination) connect.call(this, tap(this.context, kept.assistant));
    return (connect as (...all: unknown[]) => AudioNode).apply(this, given);
  } as typeof AudioNode.prototype.connect;

  const sourceOf = AudioContext.prototype.createMediaStreamSource;
  AudioContext.prototype.createMediaStreamSource = function (this: AudioContext, stream) {
    const source = sourceOf.call(this, stream);
    connect.call(source, tap(this, kept.caller));
    return source;
  };
}

/** Times of one talk, in ms; infinite where no answer came, or it never fell silent. */
export interface Measured {
  gaps: number[];
  silences: number[];
}

/** Every saying is either answered, or an interruption that silences the assistant and is answered. */
export function measure({ caller, assistant }: PageSound, sayings: readonly Saying[]): Measured {
  const loudest = caller.db.reduce((most, db) => Math.max(most, db), -Infinity);
  const begin = caller.atMs[caller.db.findIndex((db) => db > loudest - VOICE_BELOW_DB)];
  if (begin === undefined) throw new Error('nothing came from the microphone');
  const offset = begin - sayings[0]!.fromMs;
  const sounding = assistant.atMs.filter((_, i) => assistant.db[i]! > SILENT_DB).map((ms) => ms - offset);
  const found: Measured = { gaps: [], silences: [] };
  sayings.forEach(({ fromMs, toMs }, i) => {
    const nextMs = sayings[i + 1]?.fromMs ?? Infinity;
    const isInterrupting = sounding.some((ms) => ms > fromMs - 200 && ms < fromMs);
    const last = sounding
      .filter((ms) => ms < nextMs)
      .find((ms) => ms >= fromMs && !sounding.some((more) => more > ms && more < ms + STOPPED_MS));
    if (isInterrupting)
      found.silences.push(last === undefined || last > toMs + STOPPED_MS ? Infinity : last - fromMs);
    const silentFromMs = isInterrupting ? Math.max(toMs, last ?? Infinity) : toMs;
    const answered = sounding.find((ms) => ms > silentFromMs && ms < nextMs);
    found.gaps.push(answered === undefined ? Infinity : answered - toMs);
  });
  return found;
}
