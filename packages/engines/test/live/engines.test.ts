/** The real local engines, in their own processes. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { audibleEdges, expandPhrases, HOUSE_RATE_HZ, toFloats } from '@verbalon/core';
import {
  FliteEngine,
  PocketSphinxEngine,
  type HearingProfile,
  type SttEvent,
  type SttStream,
} from '@verbalon/engines';

const common = { title: 'under test', languages: ['en'] };
const tts = new FliteEngine({ ...common, name: 'voice', voices: { rms: 'rms', slt: 'slt' }, hosts: 1 });
const stt = new PocketSphinxEngine({
  ...common,
  name: 'ears',
  hosts: 2,
  workFolder: mkdtempSync(join(tmpdir(), 'verbalon-arpa-')),
});
const signal = () => new AbortController().signal;

const profile: HearingProfile = {
  key: 'huts',
  sentences: expandPhrases(
    {
      phrases: ['how many bunks are free at <hut> hut on <day>'],
      slots: { hut: ['heron', 'rowan'], day: ['friday', 'saturday'] },
    },
    'en',
  ),
  weight: 0.3,
  pronunciations: {},
};

async function say(text: string, name = 'rms') {
  for await (const event of tts.speak({
    text,
    language: 'en',
    voice: { name },
    stay: null,
    signal: signal(),
  }))
    return event;
  throw new Error('nothing was said');
}

/** The phrase with a little silence around it. */
async function spoken(text: string): Promise<Int16Array> {
  const { samples } = await say(text);
  const out = new Int16Array(samples.length + 8_000);
  out.set(samples, 4_000);
  return out;
}

function push(stream: SttStream, samples: Int16Array): void {
  for (let at = 0; at < samples.length; at += 320) stream.push(samples.slice(at, at + 320));
}

async function all(events: AsyncIterable<SttEvent>): Promise<SttEvent[]> {
  const found: SttEvent[] = [];
  for await (const event of events) found.push(event);
  return found;
}

beforeAll(async () => {
  await Promise.all([tts.warm(), stt.warm()]);
  await stt.prepare(profile);
});
afterAll(() => Promise.all([tts.close(), stt.close()]));

describe('the local recogniser', () => {
  const SENTENCE = 'how many bunks are free at heron hut on saturday';

  it('gives partials, then a final with word times, confidence and alternatives', async () => {
    const sound = await spoken(SENTENCE);
    const stream = stt.open({ language: 'en', profile, talk: 'a', stay: null, signal: signal() });
    push(stream, sound);
    stream.finish();
    const events = await all(stream.events);
    expect(events.filter(({ kind }) => kind === 'partial').length).toBeGreaterThan(5);
    const final = events.at(-1)!;
    if (final.kind !== 'final') throw new Error('no final came');
    expect(final.words.map(({ word }) => word).join(' ')).toBe(SENTENCE);
    // The first word begins where its sound begins (250 ms in), and the last one ends inside the sound.
    expect(Math.abs(final.words[0]!.fromMs - 250)).toBeLessThan(80);
    expect(final.words.at(-1)!.toMs).toBeLessThanOrEqual(sound.length / 16);
    final.words.reduce((before, word) => (expect(word.fromMs).toBeGreaterThanOrEqual(before.toMs), word));
    expect(final.words.every(({ confidence }) => confidence! > 0 && confidence! <= 1)).toBe(true);
    expect(final.alternatives).not.toContain(SENTENCE);
  });

  it('loses no word when its host is killed in mid-utterance: the next one hears the sound again', async () => {
    const sound = await spoken(SENTENCE);
    const stream = stt.open({ language: 'en', profile, talk: 'b', stay: null, signal: signal() });
    const events = all(stream.events);
    push(stream, sound.subarray(0, sound.length / 2));
    const before = stt.hostPids();
    for (const pid of before) process.kill(pid, 'SIGKILL');
    push(stream, sound.subarray(sound.length / 2));
    stream.finish();
    const final = (await events).at(-1)!;
    expect(final.words.map(({ word }) => word).join(' ')).toBe(SENTENCE);
    await stt.warm();
    expect(stt.hostPids()).toHaveLength(2);
    for (const pid of stt.hostPids()) expect(before).not.toContain(pid);
  });

  it('hears a recording alike, whoever was heard before', async () => {
    const sound = await spoken('is the path open');
    const hear = async (talk: string) => {
      const stream = stt.open({ language: 'en', profile: null, talk, stay: null, signal: signal() });
      push(stream, sound);
      stream.finish();
      return (await all(stream.events)).at(-1);
    };
    const first = await hear('new-1');
    const loud = stt.open({ language: 'en', profile: null, talk: 'shouting', stay: null, signal: signal() });
    push(
      loud,
      sound.map((sample, i) => Math.max(-32_768, Math.min(32_767, sample * 3 + (i % 40) * 30))),
    );
    loud.finish();
    await all(loud.events);
    expect(await hear('new-2')).toEqual(first);
  });

  it('can be dropped, and its host is free for the next', async () => {
    for (let i = 0; i < 4; i++) {
      const abort = new AbortController();
      const stream = stt.open({ language: 'en', profile, talk: 'd', stay: null, signal: abort.signal });
      stream.push(new Int16Array(3_200));
      abort.abort();
      expect(await all(stream.events)).toEqual([]);
    }
  });
});

describe('the local synthesiser', () => {
  it('trims silence, and words end in order inside the sound', async () => {
    const { samples, words } = await say('Supper is at 18:30, Mr. Holt said.', 'slt');
    const edges = audibleEdges(toFloats(samples), HOUSE_RATE_HZ)!;
    expect(edges.from).toBeLessThanOrEqual(240);
    expect(samples.length - edges.to).toBeLessThanOrEqual(240);
    expect(words!.map(({ word }) => word)).toEqual(['Supper', 'is', 'at', '18:30,', 'Mr.', 'Holt', 'said.']);
    words!.reduce((before, word) => (expect(word.endMs).toBeGreaterThan(before.endMs), word));
    expect(words!.at(-1)!.endMs).toBeLessThanOrEqual(samples.length / 16);
  });

  it('speaks faster and higher when asked, and as before afterwards', async () => {
    const plain = await say('The path is open.');
    let fast = 0;
    for await (const { samples } of tts.speak({
      language: 'en',
      text: 'The path is open.',
      voice: { name: 'rms', rate: 1.5, pitchHz: 160 },
      stay: null,
      signal: signal(),
    }))
      fast = samples.length;
    expect(fast / plain.samples.length).toBeCloseTo(1 / 1.5, 1);
    expect((await say('The path is open.')).samples.length / plain.samples.length).toBeCloseTo(1, 1);
  });

  it('survives the death of its host', async () => {
    for (const pid of tts.hostPids()) process.kill(pid, 'SIGKILL');
    expect((await say('Still here.')).samples.length).toBeGreaterThan(4_000);
  });

  it('knows how words are pronounced, and which voices it has', async () => {
    expect(await tts.pronounce(['tansy'])).toEqual({ tansy: 'T AE N Z IY' });
    await expect(say('no', 'nobody')).rejects.toMatchObject({ code: 'voice-unknown' });
  });

  it('times words that hold nothing to be spoken, too', async () => {
    const { words } = await say('“Twenty-four” huts — !');
    expect(words!.map(({ word }) => word)).toEqual(['“Twenty-four”', 'huts', '—', '!']);
    expect(words![3]!.endMs).toBe(words![1]!.endMs);
  });
});
