/** The local ears: a saying that once killed them, and phrases that are listened for. */
import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { readWav, samplesOfMs, toPcm16 } from '@verbalon/core';
import { PocketSphinxEngine } from '@verbalon/engines';
import { Project } from '@verbalon/service';
import { freshFolder, root, truth } from '../../../../testing/service.js';

const workFolder = freshFolder();
const ears = new PocketSphinxEngine({ name: 'ears', title: 'ears', languages: ['en'], hosts: 1, workFolder });
const { profile } = new Project(join(root, 'demo')).assistant('tansy');
const recording = toPcm16(readWav(readFileSync(join(root, 'demo/recordings/miller-asks.wav'))).channels[0]!);
const { signal } = new AbortController();

beforeAll(async () => {
  await ears.warm();
  await ears.prepare(profile!);
}, 60_000);

afterAll(async () => {
  await ears.close();
  rmSync(workFolder, { recursive: true });
});

it('a table of the recogniser that is exactly full when words are asked for ends no host', async () => {
  const hosts = ears.hostPids();
  // In these very pieces it was.
  const sound = recording.slice(samplesOfMs(4_510, 16_000), samplesOfMs(8_800, 16_000));
  const stream = ears.open({ language: 'en', profile, talk: 'test', stay: null, signal });
  stream.push(sound.slice(0, 2_720));
  for (let at = 2_720; at < sound.length; at += 320) stream.push(sound.slice(at, at + 320));
  stream.finish();
  const heard: string[] = [];
  for await (const event of stream.events)
    if (event.kind === 'final') heard.push(...event.words.map(({ word }) => word));
  expect(heard.join(' ')).toBe('hello tansy is the path over the saddle open today');
  expect(ears.hostPids()).toEqual(hosts);
}, 60_000);

it('of a phrase that is listened for it tells where it was said, and of anything else nothing', async () => {
  const heardIn = async (fromMs: number, toMs: number) => {
    const stream = ears.open({
      language: 'en',
      profile,
      talk: 'test',
      stay: null,
      signal,
      phrases: ['Hello, Tansy'],
    });
    const sound = recording.slice(samplesOfMs(fromMs, 16_000), samplesOfMs(toMs, 16_000));
    for (let at = 0; at < sound.length; at += 320) stream.push(sound.slice(at, at + 320));
    stream.finish();
    const words = [];
    for await (const event of stream.events) words.push(...event.words);
    return words;
  };
  const [greeting, question] = truth('miller-asks');
  const [first] = await heardIn(greeting!.fromMs - 300, greeting!.toMs);
  expect(first).toMatchObject({ word: 'hello tansy', fromMs: expect.any(Number) });
  expect(first!.toMs).toBeLessThan(1_700);
  expect(await heardIn(question!.fromMs - 300, question!.toMs)).toEqual([]);
}, 60_000);

it('while a slot is asked for whose answers are fixed, it hears nothing but these', async () => {
  const sound = recording.slice(samplesOfMs(4_510, 16_000), samplesOfMs(8_800, 16_000));
  const heard = async (expecting?: string) => {
    const asked = expecting === undefined ? {} : { expecting };
    const stream = ears.open({ language: 'en', profile, talk: 'test', stay: null, signal, ...asked });
    for (let at = 0; at < sound.length; at += 320) stream.push(sound.slice(at, at + 320));
    stream.finish();
    const words: string[] = [];
    for await (const event of stream.events)
      if (event.kind === 'final') words.push(...event.words.map(({ word }) => word));
    return words;
  };
  const allowed = new Set(profile!.answers!['supper/meal']!.sentences.flat());
  expect(profile!.answers!['supper/meal']!.only).toBe(true);
  expect((await heard('supper/meal')).filter((word) => !allowed.has(word))).toEqual([]);
  expect(await heard()).toContain('saddle');
  // What is only likely leaves room for all else.
  expect(await heard('book-bunks/hut')).toContain('saddle');
}, 60_000);
