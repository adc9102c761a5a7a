/** A recogniser's host process: one decoder, one utterance at a time, told what to do over IPC. */
import { HOUSE_RATE_HZ, joinPcm16, msOfSamples } from '@verbalon/core';
import type { FromAnyHost } from '../hosts/host-pool.js';
import type { FromSttHost, ToSttHost } from './messages.js';
import { modelFolder } from './model.js';
import { Decoder } from './native.js';

/** Sound is decoded in pieces of at least this much: 40 ms. */
const PIECE_SAMPLES = 640;

const decoder = new Decoder({ model: modelFolder() });
let job = 0;
let waiting: Int16Array[] = [];
let shown = '';
let decoded = 0;
/**
 * Profiles that are not loaded yet: each takes some tenths of a second, and a host that takes over from a
 * dead one needs only its own.
 */
const profiles = new Map<string, Extract<ToSttHost, { kind: 'profile' }>>();

function tell(message: FromSttHost | FromAnyHost): void {
  process.send?.(message);
}

function decode(all: boolean): void {
  const samples = joinPcm16(waiting);
  if (samples.length === 0 || (!all && samples.length < PIECE_SAMPLES)) return;
  waiting = [];
  decoder.push(samples);
  decoded += samples.length;
  const text = decoder.text();
  if (text === shown) return;
  shown = text;
  tell({ kind: 'partial', job, words: decoder.words(false), uptoMs: msOfSamples(decoded, HOUSE_RATE_HZ) });
}

function load(key: string | null): void {
  const profile = key === null ? undefined : profiles.get(key);
  if (!profile) return;
  profiles.delete(profile.key);
  for (const [word, phones] of Object.entries(profile.pronunciations)) decoder.addWord(word, phones);
  decoder.addModel(profile.key, profile.files, profile.weight);
}

function finish(): void {
  decode(true);
  decoder.end();
  const words = decoder.words(true);
  const text = words.map(({ word }) => word).join(' ');
  // Said first, so that whoever gets the final can have the next segment heard here at once.
  tell({ kind: 'idle', job });
  tell({ kind: 'final', job, words, alternatives: decoder.alternatives(text), means: decoder.means() });
  job = 0;
}

/**
 * Work that has come and is not done. A drop goes before it: what is not wanted any more is not decoded
 * first.
 */
let queue: ToSttHost[] = [];
let working = false;

function work(message: ToSttHost): void {
  if (message.kind === 'profile') profiles.set(message.key, message);
  else if (message.kind === 'start') {
    job = message.job;
    waiting = [];
    shown = '';
    decoded = 0;
    load(message.profile);
    if (message.phrasesFile === undefined) decoder.start(message.profile, message.means, message.expecting);
    else decoder.listenFor(message.phrasesFile, message.means);
  } else if (message.job !== job) return;
  else if (message.kind === 'sound') {
    waiting.push(message.samples);
    decode(false);
  } else if (message.kind === 'finish') finish();
}

function drop(dropped: number): void {
  queue = queue.filter((one) => one.kind === 'profile' || one.job !== dropped);
  if (dropped === job) {
    decoder.end();
    job = 0;
  }
  tell({ kind: 'idle', job: dropped });
}

/**
 * One thing at a time, so that a drop can come between. Profiles are loaded ahead when nothing else is to be
 * done.
 */
function workOn(): void {
  const next = queue.shift();
  if (next) work(next);
  else if (job === 0 && profiles.size > 0) load([...profiles.keys()][0]!);
  else return void (working = false);
  setImmediate(workOn);
}

process.on('message', (message: ToSttHost) => {
  if (message.kind === 'drop') drop(message.job);
  else queue.push(message);
  if (working) return;
  working = true;
  setImmediate(workOn);
});
process.on('disconnect', () => process.exit(0));

// The first utterance is slower than the later ones: have it behind us.
decoder.start(null, null);
decoder.push(new Int16Array(8_000));
decoder.end();
tell({ kind: 'ready' });
