/**
 * The guard around every engine, on a clock of the test's own: how long it waits, what it learns, what it
 * makes of faults.
 */
import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import { samplesOfMs } from '@verbalon/core';
import {
  EngineFault,
  type LlmEngine,
  type LlmEvent,
  type SttEngine,
  type SttEvent,
  type SttRequest,
  type TtsEngine,
} from '../../src/common/contract.js';
import { EventQueue } from '../../src/common/event-queue.js';
import type { GuardOptions } from '../../src/guard/guard.js';
import { guarded } from '../../src/guard/guarded.js';

beforeEach(() => void jest.useFakeTimers());
afterEach(() => void jest.useRealTimers());

const pause = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));
const pass = (ms: number) => jest.advanceTimersByTimeAsync(ms);

const ASKED = { persona: '', messages: [], answerLength: 'short', language: 'en', talk: 'test' } as const;
const DEADLINES = { firstMs: 1_000, betweenMs: 500 };

/** A model whose pieces come after so many ms each; then it ends, or fails. */
function model(options: GuardOptions, waits: () => number[], failure: () => Error | null = () => null) {
  const engine = {
    name: 'mind',
    role: 'llm' as const,
    async *think({ signal }: { signal: AbortSignal }): AsyncIterable<LlmEvent> {
      for (const [i, ms] of waits().entries()) {
        await pause(ms);
        if (signal.aborted) return;
        yield { kind: 'piece', text: `${i} ` };
      }
      const error = failure();
      if (error) throw error;
    },
  };
  return guarded(engine as unknown as LlmEngine, options);
}

interface Got {
  text: string;
  fault: EngineFault | null;
  tookMs: number;
}

/** @param readMs so long whoever asked takes over each piece */
async function ask(
  engine: LlmEngine,
  alone = false,
  readMs = 0,
  abort = new AbortController(),
): Promise<Got> {
  const fromMs = performance.now();
  const got: Got = { text: '', fault: null, tookMs: 0 };
  try {
    for await (const event of engine.think({ ...ASKED, alone, stay: null, signal: abort.signal })) {
      got.text += event.kind === 'piece' ? event.text : `(${event.kind}) `;
      if (readMs > 0) await pause(readMs);
    }
  } catch (error) {
    got.fault = error as EngineFault;
  }
  return { ...got, tookMs: performance.now() - fromMs };
}

async function asked(engine: LlmEngine, alone = false, readMs = 0): Promise<Got> {
  const got = ask(engine, alone, readMs);
  await pass(60_000);
  return got;
}

describe('how long an engine is waited for', () => {
  it.each<[string, number[], boolean, string, string | null, number]>([
    ['in time', [900, 400, 400], false, '0 1 2 ', null, 1_700],
    ['a first piece that is late', [1_100, 10], false, '', 'gave no first piece within 1000 ms', 1_000],
    ['a next one that is late', [100, 600], false, '0 ', 'gave no further piece within 500 ms', 600],
    ['the same, where nobody could take over', [7_900, 6_000], true, '0 1 ', null, 13_900],
    ['too late even so', [8_100], true, '', 'gave no first piece within 8000 ms', 8_000],
  ])('%s', async (_name, waits, alone, text, fault, tookMs) => {
    const got = await asked(
      model({ deadlines: DEADLINES }, () => waits),
      alone,
    );
    expect(got.text).toBe(text);
    expect(got.fault?.code ?? null).toBe(fault && 'engine-late');
    expect(got.fault?.detail ?? null).toBe(fault && `mind ${fault}`);
    expect(got.tookMs).toBe(tookMs);
  });

  it('is learned from its own times, and never longer than its card says', async () => {
    let waits = [300];
    const engine = model({ deadlines: { firstMs: 4_000 } }, () => waits);
    for (let i = 0; i < 8; i++) await asked(engine);
    expect(engine.guard.deadlines().firstMs).toBe(750);
    waits = [800];
    expect((await asked(engine)).fault?.detail).toBe('mind gave no first piece within 750 ms');
    expect((await asked(engine, true)).fault).toBeNull();
    waits = [3_900];
    for (let i = 0; i < 30; i++) await asked(engine, true);
    expect(engine.guard.deadlines().firstMs).toBe(4_000);
  });

  it('does not count the time of whoever asked', async () => {
    const got = await asked(
      model({ deadlines: DEADLINES }, () => [100, 100, 100]),
      false,
      2_000,
    );
    expect(got).toMatchObject({ text: '0 1 2 ', fault: null });
  });

  it('is told once when a second engine may be asked beside it', async () => {
    const engine = model({ deadlines: DEADLINES, hedged: true }, () => [800, 400]);
    expect((await asked(engine)).text).toBe('(late) 0 1 ');
    expect((await asked(model({ deadlines: DEADLINES }, () => [800]))).text).toBe('0 ');
  });
});

describe('what is made of faults', () => {
  it('after two in a row it rests, twice as long after each failed trial; an answer ends that', async () => {
    let failure: Error | null = new EngineFault('engine-down', 'mind is away');
    const engine = model(
      { deadlines: DEADLINES },
      () => [10],
      () => failure,
    );
    const { guard } = engine;
    const once = async () => {
      const got = ask(engine);
      await pass(10);
      return got;
    };
    await once();
    expect(guard.resting()).toBeNull();
    await once();
    expect(guard.resting()).toBe('mind is away');
    await pass(2_999);
    expect(guard.resting()).toBe('mind is away');
    await pass(1);
    expect(guard.resting()).toBeNull();
    await once();
    await pass(5_999);
    expect(guard.resting()).toBe('mind is away');
    await pass(1);
    failure = null;
    expect((await once()).text).toBe('0 ');
    failure = new Error('anything');
    expect((await once()).fault).toMatchObject({ code: 'engine-down', detail: 'mind: Error: anything' });
    expect(guard.resting()).toBeNull();
  });

  it.each<[string, EngineFault, number]>([
    [
      'an engine that says when to come back is left alone until then',
      new EngineFault('engine-busy', 'full', 1_500),
      1_500,
    ],
    ['nobody changes a wrong key within a talk', new EngineFault('engine-key-wrong', 'no'), 60_000],
  ])('%s', async (_name, fault, restMs) => {
    const engine = model(
      { deadlines: DEADLINES },
      () => [],
      () => fault,
    );
    expect((await ask(engine)).fault).toBe(fault);
    await pass(restMs - 1);
    expect(engine.guard.resting()).toBe(fault.detail);
    await pass(1);
    expect(engine.guard.resting()).toBeNull();
  });

  it('one that was dropped has no fault, and makes room for the next', async () => {
    const engine = model({ deadlines: DEADLINES, atOnce: 1 }, () => [200, 200]);
    const abort = new AbortController();
    const dropped = ask(engine, false, 0, abort);
    await pass(250);
    expect((await ask(engine)).fault).toMatchObject({
      code: 'engine-busy',
      detail: 'mind takes at most 1 at once, as its card says',
    });
    abort.abort();
    expect(await dropped).toMatchObject({ text: '0 ', fault: null });
    expect((await asked(engine)).text).toBe('0 1 ');
  });
});

it('a voice may not fall further behind what is heard of it than its card allows', async () => {
  const every = async (ms: number) => {
    const engine = {
      name: 'voice',
      role: 'tts' as const,
      async *speak() {
        for (let i = 0; i < 20; i++) {
          await pause(ms);
          yield { kind: 'audio' as const, samples: new Int16Array(samplesOfMs(100, 16_000)), words: null };
        }
      },
    };
    const voice = guarded(engine as unknown as TtsEngine, { deadlines: DEADLINES });
    let pieces = 0;
    const all = (async () => {
      try {
        const asked = {
          text: '',
          language: 'en',
          voice: {},
          stay: null,
          signal: new AbortController().signal,
        };
        for await (const { samples } of voice.speak(asked)) pieces += samples.length > 0 ? 1 : 0;
        return null;
      } catch (error) {
        return error as EngineFault;
      }
    })();
    await pass(60_000);
    return { fault: await all, pieces };
  };
  expect(await every(110)).toEqual({ fault: null, pieces: 20 });
  const { fault, pieces } = await every(300);
  expect(fault).toMatchObject({
    code: 'engine-late',
    detail: expect.stringContaining('as fast as it is heard'),
  });
  // When the fifth has come, 1,200 ms after the first, there are 500 ms of sound: it is 700 behind.
  expect(pieces).toBe(5);
});

describe('ears', () => {
  /**
   * Hears `soundMs` of sound that comes at once or in real time, and gives the final so long after its end.
   */
  async function hear(
    soundMs: number,
    live: boolean,
    finalMs: number,
    given: Partial<SttRequest> = {},
    deadlines = DEADLINES,
  ) {
    const engine = {
      name: 'ears',
      role: 'stt' as const,
      open() {
        const events = new EventQueue<SttEvent>();
        const final = () => (events.push({ kind: 'final', words: [], alternatives: [] }), events.end());
        return { push: () => undefined, finish: () => void setTimeout(final, finalMs), events };
      },
    };
    const ears = guarded(engine as unknown as SttEngine, { deadlines });
    const stream = ears.open({
      language: 'en',
      profile: null,
      talk: 'test',
      stay: null,
      signal: new AbortController().signal,
      ...given,
    });
    for (let ms = 0; ms < soundMs; ms += 100) {
      stream.push(new Int16Array(samplesOfMs(100, 16_000)));
      if (live) await pass(100);
    }
    stream.finish();
    const got = (async () => {
      try {
        for await (const event of stream.events) if (event.kind === 'final') return 'final';
        return 'nothing';
      } catch (error) {
        return (error as EngineFault).detail;
      }
    })();
    await pass(90_000);
    return got;
  }

  it.each<[string, Parameters<typeof hear>, string]>([
    ['are in time', [2_000, true, 900], 'final'],
    ['are late', [2_000, true, 1_100], 'ears gave no final words within 1000 ms'],
    ['may hear at the pace of speech what came at once', [2_000, false, 2_900], 'final'],
    ['but no slower', [2_000, false, 3_100], 'ears gave no final words within 3000 ms'],
    ['have more time where nobody could take over', [2_000, true, 7_900, { alone: true }], 'final'],
    ['have far more where nobody waits live', [2_000, false, 60_000, { recorded: true }], 'final'],
    [
      'and as long as their card says',
      [2_000, false, 81_900, { recorded: true }, { ...DEADLINES, firstMs: 80_000 }],
      'final',
    ],
    [
      'but not for ever',
      [2_000, false, 62_100, { recorded: true }],
      'ears gave no final words within 62000 ms',
    ],
  ])('%s', async (_name, given, result) => {
    expect(await hear(...given)).toBe(result);
  });
});
