/** A recogniser's host process: one utterance at a time, told what to do over IPC. */
import { HOUSE_RATE_HZ, joinPcm16, msOfSamples } from '@verbalon/core';
import type { FromAnyHost } from '../hosts/host-pool.js';
import type { FromSttHost, ToSttHost } from './messages.js';
import { Hearings } from './hearings.js';
import { modelFolder } from './model.js';
import { ClosedDecoder, OpenDecoder } from './native.js';

/** Sound is decoded in pieces of at least this much: 40 ms. */
const PIECE_SAMPLES = 640;

const hearings = new Hearings(new OpenDecoder(modelFolder()), new ClosedDecoder(modelFolder()));
let job = 0;
let waiting: Int16Array[] = [];
let decoded = 0;

function tell(message: FromSttHost | FromAnyHost): void {
  process.send?.(message);
}

function decode(all: boolean): void {
  const samples = joinPcm16(waiting);
  if (samples.length === 0 || (!all && samples.length < PIECE_SAMPLES)) return;
  waiting = [];
  hearings.push(samples);
  decoded += samples.length;
  const heard = hearings.partial();
  if (heard) tell({ kind: 'partial', job, words: heard.words, uptoMs: msOfSamples(decoded, HOUSE_RATE_HZ) });
}

function finish(): void {
  decode(true);
  hearings.end();
  const { words, closed } = hearings.heard();
  const text = words.map(({ word }) => word).join(' ');
  // Said first, so that whoever gets the final can have the next segment heard here at once.
  tell({ kind: 'idle', job });
  const alternatives = hearings.alternatives(text);
  tell({ kind: 'final', job, words, closed, alternatives, adapted: hearings.adapted() });
  job = 0;
}

/**
 * Work that has come and is not done. A drop goes before it: what is not wanted any more is not decoded
 * first.
 */
let queue: ToSttHost[] = [];
let working = false;

function work(message: ToSttHost): void {
  if (message.kind === 'profile') hearings.add(message);
  else if (message.kind === 'start') {
    job = message.job;
    waiting = [];
    decoded = 0;
    hearings.start(message);
  } else if (message.job !== job) return;
  else if (message.kind === 'sound') {
    waiting.push(message.samples);
    decode(false);
  } else if (message.kind === 'finish') finish();
}

function drop(dropped: number): void {
  queue = queue.filter((one) => one.kind === 'profile' || one.job !== dropped);
  if (dropped === job) {
    hearings.end();
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
  else if (job !== 0 || !hearings.loadNext()) return void (working = false);
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
hearings.start({ kind: 'start', job, profile: null, adapted: null, isNarrow: false });
hearings.push(new Int16Array(8_000));
hearings.end();
tell({ kind: 'ready' });
