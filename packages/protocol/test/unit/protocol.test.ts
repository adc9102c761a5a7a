import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  AskRequest,
  AssistantFile,
  callerMessages,
  check,
  EngineCard,
  readFrame,
  writeFrame,
} from '../../src/index.js';

describe('binary frames', () => {
  it('come back as they were written, at any offset; an odd number of samples is filled up', () => {
    const samples = fc.array(fc.integer({ min: -32_768, max: 32_767 }), { maxLength: 50 });
    fc.assert(
      fc.property(samples, fc.nat(), fc.maxSafeNat(), fc.boolean(), (values, epoch, firstSample, last) => {
        const frame = {
          from: 'assistant' as const,
          epoch,
          firstSample,
          last,
          samples: Int16Array.from(values),
        };
        const bytes = writeFrame(frame);
        expect(bytes.length % 4).toBe(0);
        const moved = new Uint8Array(bytes.length + 3);
        moved.set(bytes, 3);
        const back = readFrame(moved.subarray(3));
        expect(back).toMatchObject({ from: 'assistant', epoch, firstSample, last });
        expect([...back.samples]).toEqual(values.length % 2 ? [...values, 0] : values);
      }),
      { seed: 1 },
    );
  });

  it.each<[string, Uint8Array, string]>([
    ['too short', new Uint8Array(8), 'header of 16 bytes'],
    ['of an odd length', new Uint8Array(18), 'multiple of four'],
    ['of an unknown kind', new Uint8Array(20), 'its kind is 0'],
    ['out of range', Uint8Array.from([1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 255]), 'out of range'],
  ])('%s are refused with words', (_name, bytes, words) => {
    expect(() => readFrame(bytes)).toThrow(words);
  });
});

describe('what is wrong is said in words', () => {
  const arrive = { kind: 'arrive', line: 'web', audio: { encoding: 's16le', rateHz: 16_000 } };
  it.each<[string, Parameters<typeof check>[0], unknown, string]>([
    ['a typo', callerMessages.arrive, { ...arrive, assitant: 'tansy' }, '"assistant" was probably meant'],
    ['a missing part', callerMessages.arrive, { kind: 'arrive', line: 'web' }, 'lacks "audio"'],
    [
      'a rate out of range',
      callerMessages.arrive,
      { ...arrive, audio: { encoding: 's16le', rateHz: 10 } },
      '"audio.rateHz"',
    ],
    ['nothing but blanks', callerMessages.typed, { kind: 'typed', text: '  ' }, '"text"'],
    [
      'a typo in a file',
      AssistantFile,
      { title: 'T', language: 'en', persona: 'p', lineup: { stt: 'a', llm: 'b', tts: 'c' }, maners: {} },
      '"manners" was probably meant',
    ],
    [
      'an engine of no known wire',
      EngineCard,
      { title: 'T', role: 'llm', wire: 'line', where: 'cloud', languages: ['en'] },
      'must be',
    ],
  ])('%s', (_name, schema, value, words) => {
    const checked = check(schema, value);
    expect(checked).toMatchObject({ ok: false, detail: expect.stringContaining(words) });
  });

  it('and what is right is taken', () => {
    expect(check(callerMessages.arrive, arrive)).toEqual({ ok: true, value: arrive });
  });
});

describe('the doors', () => {
  const refusal = (schema: Parameters<typeof check>[0], value: unknown) => {
    const checked = check(schema, value);
    if (checked.ok) throw new Error('it was taken');
    return checked;
  };

  it.each([
    ['capture', 1e300],
    ['capture', 2 ** 60],
    ['sample', 1e300],
    ['speech', 2 ** 40],
    ['speech', -1],
  ])('no number is taken that cannot be kept: %s of %d', (key, value) => {
    const played = { kind: 'played', speech: 1, sample: 1, capture: 1, [key]: value };
    expect(refusal(callerMessages.played, played).path).toBe(`/${key}`);
  });

  it.each([
    ['half of a character', 'x\ud800'],
    ['a NUL', 'x\0'],
  ])('no text is taken with %s, at any depth', (_what, text) => {
    expect(refusal(AskRequest, { text })).toMatchObject({
      path: '/text',
      detail: expect.stringContaining('"text"'),
    });
    const messages = [{ role: 'caller', text }];
    expect(refusal(AskRequest, { text: 'x', messages }).path).toBe('/messages/0/text');
  });

  it('tells the first 20 of 10,000 unknown keys, and how many there are', () => {
    const many = Object.fromEntries(Array.from({ length: 10_000 }, (_, i) => [`key${i}`, i]));
    const { wrong, count } = refusal(AskRequest, { text: 'x', ...many });
    expect(wrong).toHaveLength(20);
    expect(count).toBeGreaterThan(9_000);
  });
});
