/** The real local engines, in their own processes. */
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  audibleEdges,
  closedGrammar,
  expandPhrases,
  HOUSE_RATE_HZ,
  levelDb,
  toFloats,
  toPcm16,
} from '@verbalon/core';
import {
  FliteEngine,
  PocketSphinxEngine,
  type HearingProfile,
  type SttEvent,
  type SttStream,
} from '@verbalon/engines';
import { noise } from '../../../../testing/voices.js';

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

describe('its two hearings', () => {
  const expecting = (
    phrases: readonly string[],
    answers: Record<string, readonly string[]> = {},
  ): HearingProfile => ({
    ...profile,
    key: JSON.stringify([phrases, answers]),
    grammar: closedGrammar({ phrases }, 'en'),
    answers: Object.fromEntries(
      Object.entries(answers).map(([name, said]) => [
        name,
        { only: true, sentences: [], grammar: closedGrammar({ phrases: said }, 'en') },
      ]),
    ),
  });
  const hear = async (
    profile: HearingProfile,
    text: string,
    { asked, sound }: { asked?: string; sound?: Int16Array } = {},
  ) => {
    await stt.prepare(profile);
    const stream = stt.open({
      language: 'en',
      profile,
      talk: text,
      stay: null,
      signal: signal(),
      ...(asked === undefined ? {} : { expecting: asked }),
    });
    push(stream, sound ?? (await spoken(text)));
    stream.finish();
    const events = await all(stream.events);
    const words = events.map((event) => event.words.map(({ word }) => word).join(' '));
    const final = events.at(-1)!;
    return {
      partials: words.slice(0, -1),
      text: words.at(-1)!,
      closed: final.kind === 'final' ? final.closed : undefined,
    };
  };
  const LIKELY = 'how many bunks are free at heron hut on saturday';
  const PHRASES = ['[thank you] goodbye', 'who is the warden of (heron|rowan) hut', 'yes please'];

  it.each(['thank you goodbye', 'who is the warden of rowan hut', 'yes please'])(
    'hear "%s" where it is expected, before the voice has ended',
    async (text) => {
      const { partials, ...heard } = await hear(expecting(PHRASES), text);
      expect(heard).toEqual({ text, closed: { text, belief: expect.any(Number) } });
      expect(heard.closed!.belief).toBeGreaterThan(0.5);
      expect(partials).toContain(text);
    },
  );

  it('hear through noise that sounds all the time', async () => {
    const text = 'who is the warden of rowan hut';
    const voice = toFloats(await spoken(text)).map((sample) => 0.4 * sample);
    // As loud as 8 dB below the voice; the peak of such noise is the square root of three above it.
    const peak = Math.sqrt(3) * 10 ** ((levelDb(voice) - 8) / 20);
    const hiss = noise(voice.length, peak);
    const sound = toPcm16(voice.map((sample, i) => sample + hiss[i]!));
    expect(await hear(expecting(PHRASES), text, { sound })).toMatchObject({ closed: { text } });
  });

  it('hear what is not expected by the open one alone', async () => {
    const { text, closed } = await hear(expecting(PHRASES), 'the water is too cold to swim');
    expect(text).toMatch(/water .* cold/);
    expect(closed?.belief ?? 0).toBeLessThan(0.5);
  });

  it('are the closed one alone where only answers count: they are heard, or nothing is', async () => {
    const asking = expecting(PHRASES, { meal: ['bean stew', 'barley soup'] });
    expect(await hear(asking, 'barley soup', { asked: 'meal' })).toMatchObject({ text: 'barley soup' });
  });

  it.each([
    ['words that nobody can say', ['xqzvk goodbye', 'goodbye'], 'goodbye'],
    ['nothing that can be said', ['xqzvk'], LIKELY],
    ['no phrase at all', [], LIKELY],
    ['the same phrase twice', ['goodbye', 'goodbye'], 'goodbye'],
    ['10,000 values', [`number (${tenThousand().join('|')})`, 'goodbye'], 'goodbye'],
  ])('hear on with a grammar of %s', async (_, phrases, text) => {
    const hosts = stt.hostPids();
    expect((await hear(expecting(phrases), text)).text).toBe(text);
    expect(stt.hostPids()).toEqual(hosts);
  });

  it('change with what is asked for, and outlive their host together', async () => {
    const asking = expecting(PHRASES, { meal: ['bean stew', 'barley soup'] });
    await stt.prepare(asking);
    const stream = stt.open({ language: 'en', profile: asking, talk: 'k', stay: null, signal: signal() });
    const events = all(stream.events);
    const sound = await spoken('who is the warden of rowan hut');
    push(stream, sound.subarray(0, sound.length / 2));
    for (const pid of stt.hostPids()) process.kill(pid, 'SIGKILL');
    push(stream, sound.subarray(sound.length / 2));
    stream.finish();
    expect(
      (await events)
        .at(-1)!
        .words.map(({ word }) => word)
        .join(' '),
    ).toBe('who is the warden of rowan hut');
  });
});

/** Different ways to say a number of four digits. */
function tenThousand(): string[] {
  const digits = ['oh', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine'];
  return Array.from({ length: 10_000 }, (_, i) =>
    [1_000, 100, 10, 1].map((unit) => digits[Math.floor(i / unit) % 10]).join(' '),
  );
}

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
