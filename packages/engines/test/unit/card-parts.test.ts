/** What a card says, part by part: templates, pointers, rules of reading, forms of sound. */
import { describe, expect, it } from '@jest/globals';
import { Readable } from 'node:stream';
import fc from 'fast-check';
import { levelDb, samplesOfMs, toPcm16, writeWav } from '@verbalon/core';
import type { ReceivePart } from '@verbalon/protocol';
import { cutInto } from '../../src/card/exchange.js';
import { at, firstAt } from '../../src/card/pointer.js';
import { Reader } from '../../src/card/reader.js';
import { hideNothing } from '../../src/card/secrecy.js';
import { SoundIn, SoundOut } from '../../src/card/sound.js';
import { SpokenText } from '../../src/card/spoken-text.js';
import { fill, namesIn } from '../../src/card/template.js';

describe('a template', () => {
  const values = {
    text: 'Say "hi" {now}',
    rate: 16_000,
    sure: false,
    list: [
      { role: 'caller', text: 'a' },
      { role: 'assistant', text: 'b' },
    ],
  };

  it.each<[string, unknown, unknown]>([
    ['a value keeps its type', { rate: '{rate}', sure: '{sure}' }, { rate: 16_000, sure: false }],
    ['within a text it becomes text', 'rate={rate};{sure}', 'rate=16000;false'],
    [
      'what has no value leaves its property out',
      { voice: '{voice}', text: '{text}' },
      { text: values.text },
    ],
    ['but within a text it is empty', '/hear/{voice}/x', '/hear//x'],
    ['a value is no template itself', ['{text}'], ['Say "hi" {now}']],
    [
      'a list is written out',
      { each: 'list', item: { who: '{role}', said: ['{text}', '{rate}'] } },
      [
        { who: 'caller', said: ['a', 16_000] },
        { who: 'assistant', said: ['b', 16_000] },
      ],
    ],
    ['a list that is not there is left out', { m: { each: 'nothing', item: '{text}' } }, {}],
    [
      'all else stays',
      { a: null, b: [1, { c: true }], d: '{ not a name }' },
      { a: null, b: [1, { c: true }], d: '{ not a name }' },
    ],
  ])('%s', (_name, template, filled) => {
    expect(fill(template, values)).toEqual(filled);
  });

  it('tells the names that it wants', () => {
    expect(namesIn({ a: '{x} and {y}', b: { each: 'all', item: ['{z}'] }, c: 3 })).toEqual([
      'x',
      'y',
      'all',
      'z',
    ]);
  });
});

describe('a pointer', () => {
  it('finds every value that is there, whatever its keys (RFC 6901)', () => {
    const escaped = (key: string) => key.replaceAll('~', '~0').replaceAll('/', '~1');
    fc.assert(
      fc.property(fc.array(fc.string(), { minLength: 1, maxLength: 5 }), fc.jsonValue(), (keys, value) => {
        const whole = keys.reduceRight<unknown>((inner, key) => ({ ['other']: 1, [key]: inner }), value);
        // A key of this name cannot be written into an object like others.
        fc.pre(!keys.includes('__proto__'));
        expect(at(whole, keys.map((key) => `/${escaped(key)}`).join(''))).toEqual(value);
      }),
      { seed: 1 },
    );
  });

  it.each<[string, unknown]>([
    ['', { list: [{ a: 1 }] }],
    ['/list/0/a', 1],
    ['/list/1', undefined],
    ['/list/0/a/deeper', undefined],
    // Not what every object has without anybody having sent it.
    ['/constructor', undefined],
    ['/__proto__/toString', undefined],
  ])('%j', (pointer, found) => {
    expect(at({ list: [{ a: 1 }] }, pointer)).toEqual(found);
  });

  it('of several the first counts that names something', () => {
    expect(firstAt({ b: null, c: 0 }, ['/a', '/b', '/c'])).toBe(0);
    expect(firstAt({ b: null }, '/b')).toBeUndefined();
  });
});

describe('reading', () => {
  const read = (part: Partial<ReceivePart>, ...messages: unknown[]) => {
    const reader = new Reader('cloud', { form: 'lines', ...part } as ReceivePart, hideNothing);
    return messages.flatMap((one) => reader.read(typeof one === 'string' ? one : JSON.stringify(one)));
  };

  it('takes every rule that fits, in order', () => {
    const rules: ReceivePart['read'] = [
      { piece: ['/delta', '/text'] },
      { when: { '/done': true }, usage: { in: '/used/in', out: '/used/out' }, end: true },
      { when: { '/to': 'person' }, closes: 'hand over' },
    ];
    expect(
      read(
        { read: rules },
        { delta: 'Sup' },
        { text: 'per' },
        { delta: '' },
        { other: 1 },
        { text: '.', done: true, used: { in: 12, out: null }, to: 'person' },
      ),
    ).toEqual([
      { kind: 'piece', text: 'Sup' },
      { kind: 'piece', text: 'per' },
      { kind: 'piece', text: '.' },
      { kind: 'usage', tokensIn: 12, tokensOut: null },
      { kind: 'end' },
      { kind: 'closes', how: 'hand over' },
    ]);
  });

  it.each<[string, unknown, object[]]>([
    [
      'with times, in its own unit',
      {
        t: 'Heron Hut!',
        w: [
          { x: 'Heron', a: 0.5, b: 0.9, p: 0.7 },
          { x: '', a: 1, b: 1 },
          { x: 'Hut!', b: 1.2 },
        ],
      },
      [
        { word: 'heron', fromMs: 500, toMs: 900, confidence: 0.7 },
        { word: 'hut', fromMs: 0, toMs: 1_200 },
      ],
    ],
    [
      'without times they are spread later',
      { t: "It's  OK – isn't it?" },
      ["it's", 'ok', "isn't", 'it']
        .map((word) => ({ word, fromMs: -1, toMs: -1 }))
        .toSpliced(2, 0, { word: '–', fromMs: -1, toMs: -1 })
        .filter(({ word }) => word !== '–'),
    ],
    [
      'also where the list is empty',
      { t: 'two words', w: [] },
      [
        { word: 'two', fromMs: -1, toMs: -1 },
        { word: 'words', fromMs: -1, toMs: -1 },
      ],
    ],
  ])('words %s', (_name, message, words) => {
    const final = {
      text: '/t',
      words: { list: '/w', word: '/x', from: '/a', to: '/b', confidence: '/p', unit: 's' as const },
      alternatives: '/also',
    };
    expect(read({ read: [{ final }] }, { ...(message as object), also: ['other', 3] })).toEqual([
      { kind: 'final', words, alternatives: ['other'] },
    ]);
  });

  it.each<[string, unknown, string, RegExp]>([
    ['what is no JSON', '{"piece":', 'engine-garbled', /^cloud sent what is not JSON: \{"piece":$/],
    ['an error with a code', { code: 429, why: 'slowly' }, 'engine-refused', /^cloud: 429, slowly$/],
    ['an error that is no text', { why: { deep: [1] } }, 'engine-refused', /^cloud: \{"deep":\[1\]\}$/],
  ])('%s is a fault', (_name, message, code, words) => {
    const rules: ReceivePart['read'] = [{ error: { message: '/why', code: '/code' } }];
    expect(() => read({ read: rules }, message)).toThrow(
      expect.objectContaining({ code, detail: expect.stringMatching(words) }),
    );
  });

  it('tells what came where a card does not fit its engine, and never all of it', () => {
    const reader = new Reader(
      'cloud',
      {
        form: 'lines',
        read: [{ when: { '/kind': 'piece' }, piece: '/x' }],
      },
      hideNothing,
    );
    expect(reader.nothing('piece').detail).toBe('cloud ended its answer without a message');
    reader.read(JSON.stringify({ kind: 'other', secret: 'y'.repeat(1_000) }));
    expect(reader.nothing('piece').detail).toMatch(
      /^cloud: none of 1 messages fits a rule of its card; the first was: \{"kind":"other","secret":"y{80,100}$/,
    );
  });

  it('an end mark ends, though it is no JSON', () => {
    expect(read({ endMark: '[DONE]', read: [] }, ' [DONE]\n')).toEqual([{ kind: 'end' }]);
  });
});

describe('sound', () => {
  const tone = (ms: number, rateHz = 16_000) =>
    toPcm16(
      Float32Array.from(
        { length: samplesOfMs(ms, rateHz) },
        (_, i) => 0.4 * Math.sin((2 * Math.PI * 440 * i) / rateHz),
      ),
    );
  const bytesOf = (samples: Int16Array) =>
    Buffer.from(samples.buffer, samples.byteOffset, samples.byteLength);
  const heardBy = async (sound: SoundIn, parts: Buffer[]) => {
    for (const part of parts) sound.push(part);
    sound.end();
    const all: Int16Array[] = [];
    for await (const samples of sound) all.push(samples);
    return joined(all);
  };
  const joined = (parts: Int16Array[]) => Int16Array.from(parts.flatMap((part) => [...part]));
  const db = (samples: Int16Array) => levelDb(Float32Array.from(samples, (one) => one / 32_768));

  it.each(['pcm16', 'mulaw', 'alaw'] as const)(
    'goes to an engine and comes back as %s at 8 kHz',
    async (encoding) => {
      const out = new SoundOut(encoding, 8_000);
      const back = new SoundIn('cloud', { encoding, rateHz: 8_000 });
      const sent = Buffer.concat([out.push(tone(300)), out.push(tone(200)), out.flush()]);
      expect(sent.length).toBe(encoding === 'pcm16' ? 8_000 : 4_000);
      const heard = await heardBy(back, [sent]);
      expect(heard.length).toBe(8_000);
      expect(Math.abs(db(heard) - db(tone(500)))).toBeLessThan(0.5);
    },
  );

  it('is the same however its bytes are torn, with a WAV head or without', async () => {
    const samples = tone(40, 22_050);
    const forms = [
      { format: { encoding: 'pcm16' as const, rateHz: 22_050 }, bytes: bytesOf(samples) },
      { format: { encoding: 'wav' as const }, bytes: Buffer.from(writeWav([samples], 22_050)) },
    ];
    for (const { format, bytes } of forms) {
      const take = (parts: Buffer[]) => heardBy(new SoundIn('cloud', format), parts);
      const whole = await take([bytes]);
      expect(Math.abs(whole.length - samplesOfMs(40, 16_000))).toBeLessThan(2);
      await fc.assert(
        fc.asyncProperty(fc.array(fc.nat(bytes.length), { maxLength: 6 }), async (cuts) => {
          const edges = [0, ...cuts.sort((a, b) => a - b), bytes.length];
          const parts = edges.slice(1).map((to, i) => bytes.subarray(edges[i], to));
          expect(await take(parts)).toEqual(whole);
        }),
        { seed: 1, numRuns: 20 },
      );
    }
  });

  it('of several channels is mixed, at whatever rate and width', async () => {
    const wide = Buffer.from(writeWav([tone(100, 44_100), new Int16Array(4_410)], 44_100));
    const heard = await heardBy(new SoundIn('cloud', { encoding: 'wav' }), [wide]);
    expect(Math.abs(heard.length - 1_600)).toBeLessThan(2);
    expect(Math.abs(db(heard) - (db(tone(100)) - 6))).toBeLessThan(0.5);
  });

  it.each<[string, NonNullable<ReceivePart['encoding']>, Buffer, RegExp]>([
    ['nothing that is known', 'auto', Buffer.alloc(5_000, 1), /none of WAV, MP3, Ogg, FLAC and WebM/],
    ['no WAV file', 'wav', Buffer.alloc(5_000, 1), /not wav: it begins with/],
    ['another format', 'wav', Buffer.from(`OggS${'.'.repeat(80)}`), /sent ogg sound.*write ogg or auto/],
    ['a WAV file that breaks off', 'auto', Buffer.from(`RIFF....WAVE${'.'.repeat(80)}`), /cannot be read/],
  ])('%s is told', async (_name, encoding, bytes, words) => {
    await expect(heardBy(new SoundIn('cloud', { encoding }), [bytes])).rejects.toThrow(words);
  });
});

describe('an answer that comes in pieces', () => {
  async function texts(form: 'lines' | 'events' | 'whole', pieces: readonly string[]): Promise<string[][]> {
    const found: string[][] = [];
    const chunks = Readable.from(pieces.map((piece) => Buffer.from(piece)));
    for await (const one of cutInto(form, 'x', chunks)) if ('texts' in one) found.push(one.texts);
    return found;
  }

  it.each<[string, 'lines' | 'events' | 'whole', string[], string[][]]>([
    ['lines', 'lines', ['{"a":1}\n{"b"', ':2}\n\n', '{"c":3}'], [['{"a":1}'], ['{"b":2}'], ['{"c":3}']]],
    ['one text', 'whole', ['{"a"', ':1}\n'], [['{"a":1}\n']]],
    ['events', 'events', ['data: {"a":1}\n\nda', 'ta: 2\r\n\r\n'], [['{"a":1}'], ['2']]],
    ['an event of two lines', 'events', ['event: x\ndata: {"a":\ndata: 1}\n\n'], [['{"a":\n1}']]],
    ['a remark, and what is no data', 'events', [': remark\n\nid: 4\ndata: 1\n\n'], [['1']]],
    ['an event without the empty line behind it', 'events', ['data: 1'], [['1']]],
  ])('%s', async (_name, form, pieces, expected) => expect(await texts(form, pieces)).toEqual(expected));
});

describe('what is spoken of an answer in JSON that is still being written', () => {
  it.each<[string, string, string]>([
    [
      'in a code fence, after a remark',
      'Here is "it":\n```json\n{"mood":"glad","say":"Hello."}\n```',
      'Hello.',
    ],
    ['that breaks off', '{"say":"Supper is at', 'Supper is at'],
    ['with escapes', '{"a":[{"say":"no"}],"say":"\\u00bbSix\\"\\n\\/"}', '»Six"\n/'],
    ['behind a list', '{"a":["x",{"b":1}],"say":"Yes."}', 'Yes.'],
  ])('%s', (_name, answer, spoken) => {
    const whole = new SpokenText('cloud', '/say');
    expect(whole.read(answer)).toBe(spoken);
    // However it is cut.
    const cut = new SpokenText('cloud', '/say');
    expect([...answer].map((one) => cut.read(one)).join('')).toBe(spoken);
  });
});
