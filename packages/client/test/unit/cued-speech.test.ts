import { expect, it } from '@jest/globals';
import { CuedSpeech } from '../../src/cued-speech.js';

const TICK = 20;
const samples = (count: number) => Int16Array.from({ length: count }, (_, i) => i + 1);

it('a recording without cues is said as it is, and silence comes after its end', () => {
  const speech = new CuedSpeech(samples(50), 1_000, []);
  const said = [1, 2, 3].flatMap(() => [...speech.tick(TICK, () => false)]);
  expect(said).toEqual([...samples(50), ...new Int16Array(10)]);
  expect([speech.spokenMs, speech.overForMs, speech.axisMs(35)]).toEqual([50, 10, 35]);
});

it('a caller waits where a cue says so, until it holds; what comes later is later by that much', () => {
  const speech = new CuedSpeech(samples(100), 1_000, [
    { atMs: 60, until: 'silent' },
    { atMs: 20, until: 'speaking' },
  ]);
  let isSpeaking = false;
  const isSo = (until: string) => until === (isSpeaking ? 'speaking' : 'silent');
  expect([...speech.tick(TICK, isSo)]).toEqual([...samples(20)]);
  for (let i = 0; i < 3; i++) expect([...speech.tick(TICK, isSo)]).toEqual([...new Int16Array(TICK)]);
  isSpeaking = true;
  for (let i = 0; i < 2; i++) expect(speech.tick(TICK, isSo)[0]).toBe(21 + TICK * i);
  expect(speech.tick(TICK, isSo)[0]).toBe(0);
  isSpeaking = false;
  expect(speech.tick(TICK, isSo)[0]).toBe(61);
  expect([10, 30, 70].map((ms) => speech.axisMs(ms))).toEqual([10, 90, 150]);
});

it('a caller who waits in vain goes on after half a minute', () => {
  const speech = new CuedSpeech(samples(10), 1_000, [{ atMs: 0, until: 'speaking' }]);
  let ticks = 0;
  while (speech.tick(1_000, () => false)[0] === 0) ticks++;
  expect(ticks).toBe(30);
});
