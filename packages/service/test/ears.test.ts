/** The local ears on a saying that once killed them. */
import { expect, it } from '@jest/globals';
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { readWav, samplesOfMs, toPcm16 } from '@verbalon/core';
import { PocketSphinxEngine } from '@verbalon/engines';
import { Project } from '@verbalon/service';
import { freshFolder, root } from '../../../testing/service.js';

it('a table of the recogniser that is exactly full when words are asked for ends no host', async () => {
  const { profile } = new Project(join(root, 'demo')).assistant('tansy');
  const workFolder = freshFolder();
  const ears = new PocketSphinxEngine({
    name: 'ears',
    title: 'ears',
    languages: ['en'],
    hosts: 1,
    workFolder,
  });
  await ears.warm();
  await ears.prepare(profile!);
  const hosts = ears.hostPids();
  const recording = toPcm16(
    readWav(readFileSync(join(root, 'demo/recordings/miller-asks.wav'))).channels[0]!,
  );
  // In these very pieces it was.
  const sound = recording.slice(samplesOfMs(4_510, 16_000), samplesOfMs(8_800, 16_000));
  const { signal } = new AbortController();
  const stream = ears.open({ language: 'en', profile, talk: 'test', stay: null, signal });
  stream.push(sound.slice(0, 2_720));
  for (let at = 2_720; at < sound.length; at += 320) stream.push(sound.slice(at, at + 320));
  stream.finish();
  const heard: string[] = [];
  for await (const event of stream.events)
    if (event.kind === 'final') heard.push(...event.words.map(({ word }) => word));
  expect(heard.join(' ')).toBe('hello tansy is the path over the saddle open today');
  expect(ears.hostPids()).toEqual(hosts);
  await ears.close();
  rmSync(workFolder, { recursive: true });
}, 60_000);
