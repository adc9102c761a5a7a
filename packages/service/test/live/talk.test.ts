/** Recorded walkers talk to Tansy: real engines, real database, the real socket and client, in real time. */
import { beforeAll, describe, expect, it } from '@jest/globals';
import { callWithRecording, type RecordedCall } from '@verbalon/client/node';
import {
  audibleEdges,
  comparableWords,
  errorRate,
  levelDb,
  readWav,
  toFloats,
  wordErrors,
  writeWav,
} from '@verbalon/core';
import type { CallerEnd } from '@verbalon/client';
import type { ServiceMessage, ServiceMessageOf } from '@verbalon/protocol';
import { patientWalker, truth, until } from '../../../../testing/service.js';
import { sharedDemo, type SharedService } from '../../../../testing/shared-demo.js';

let service: SharedService;
const calls = new Map<string, RecordedCall>();

async function talk(name: string, seconds?: number): Promise<void> {
  const call = await callWithRecording({ address: service.address, ...patientWalker(name, seconds) });
  expect(call.messages.filter(({ kind }) => kind === 'trouble')).toEqual([]);
  calls.set(name, call);
}

beforeAll(async () => {
  service = await sharedDemo();
  await Promise.all([talk('miller-asks'), talk('baker-interrupts')]);
  await Promise.all([talk('fisher-hesitates', 18), talk('walker-on-a-poor-line', 17)]);
}, 120_000);

const voiceTurns = (call: RecordedCall) => call.reports.filter(({ source }) => source === 'voice');
const of = <K extends ServiceMessage['kind']>(call: RecordedCall, kind: K) =>
  call.messages.filter((message): message is ServiceMessageOf<K> => message.kind === kind);

/** The longest silence inside a lane between two moments, in ms. */
function level(lane: Int16Array, rateHz: number, fromMs: number, toMs: number): number {
  return levelDb(toFloats(lane.subarray((fromMs * rateHz) / 1000, (toMs * rateHz) / 1000)));
}

describe('a walker who asks', () => {
  it('is answered at every turn, from the knowledge sheet and with what was said before', () => {
    const call = calls.get('miller-asks')!;
    const [greeting] = call.reports;
    expect(greeting).toMatchObject({
      source: 'greeting',
      heard: 'Hello, this is Tansy of Tarnside Huts. How can I help you?',
    });
    const turns = voiceTurns(call);
    expect(turns.map(({ answered }) => answered)).toEqual([true, true, true, true]);
    expect(turns[0]!.heard).toMatch(/^Yes, the path over the saddle is open\./);
    expect(turns[1]!.heard).toBe('There are four bunks free at Heron Hut on Saturday.');
    expect(turns[2]!.heard).toBe('There are two bunks free at Rowan Hut on Saturday.');
    expect(turns[3]!.heard).toMatch(/^Goodbye/);
    const said = comparableWords(
      truth('miller-asks')
        .map(({ text }) => text)
        .join(' '),
    );
    const heard = comparableWords(turns.map(({ text }) => text).join(' '));
    expect(errorRate(wordErrors(said, heard))).toBeLessThan(0.15);
  });

  it('sees provisional words while speaking, and hears the answer only after the last word', () => {
    const call = calls.get('miller-asks')!;
    truth('miller-asks')
      .slice(0, 2)
      .forEach((saying, i) => {
        const [fromMs, toMs] = [call.axisMs(saying.fromMs), call.axisMs(saying.toMs)];
        const during = of(call, 'partial').filter(({ atMs }) => atMs > fromMs && atMs < toMs);
        expect(during.length).toBeGreaterThan(3);
        const { times, gap } = voiceTurns(call)[i]!;
        expect(Math.abs(times.voiceEndedMs! - toMs)).toBeLessThan(120);
        // The sound as it was really played: silent up to where the report says it begins, then audible.
        expect(level(call.assistant, call.rateHz, toMs, times.soundMs! - 25)).toBeLessThan(-60);
        expect(level(call.assistant, call.rateHz, times.soundMs!, times.soundMs! + 250)).toBeGreaterThan(-45);
        expect(gap!.parts.reduce((sum, part) => sum + part.ms, 0)).toBeCloseTo(gap!.ms, 3);
      });
  });

  it('is stored while talking: turns, journal, and both sides on one axis', async () => {
    const call = calls.get('miller-asks')!;
    const { http } = service;
    await until(async () => (await http.conversation(call.conversation)).endedAt !== null);
    const stored = await http.conversation(call.conversation);
    expect(stored).toMatchObject({
      assistant: 'tansy',
      line: 'recording',
      turns: 5,
      ending: 'goodbye was said',
      gaps: [],
    });
    expect(stored.reports).toEqual(call.reports);
    expect((await http.conversations()).map(({ id }) => id)).toContain(call.conversation);
    const journal = await http.journal(call.conversation);
    journal.forEach(({ index }, i) => expect(index).toBe(i));
    for (const { body } of journal.filter(({ side }) => side === 'order'))
      expect((body as { cause: { kind: string } }).cause.kind).toMatch(/^\w+$/);
    const [left, right] = readWav(await http.conversationSound(call.conversation)).channels;
    const sent = toFloats(call.caller);
    const differs = left!
      .subarray(0, sent.length - 640)
      .findIndex((sample, i) => Math.abs(sample - sent[i]!) > 1e-4);
    expect(differs).toBe(-1);
    const edges = [toFloats(call.assistant), right!].map((lane) => audibleEdges(lane, 16_000)!);
    expect(Math.abs(edges[0]!.from - edges[1]!.from)).toBeLessThan(16 * 20);
    expect(Math.abs(edges[0]!.to - edges[1]!.to)).toBeLessThan(16 * 20);
  });
});

describe('a talk taken once more', () => {
  it.each(['miller-asks', 'baker-interrupts', 'fisher-hesitates', 'walker-on-a-poor-line'])(
    'with its own manners gives exactly its own orders: %s',
    async (name) => {
      const { conversation } = calls.get(name)!;
      const { difference, turns } = await service.http.replay(conversation, {});
      expect(difference).toBeNull();
      expect(turns.length).toBeGreaterThan(0);
      const patient = await service.http.replay(conversation, { leewayMs: 2_000, headStarts: 0 });
      for (const { wouldBe } of patient.turns) {
        expect(wouldBe.headStarts.begun).toBe(0);
        // The least wait is 0.3 of the leeway; who waits longer may hear more, and then need not wait so
        // long.
        expect(wouldBe.waitMs ?? Infinity).toBeGreaterThanOrEqual(600);
      }
      await expect(service.http.replay(conversation, { leewayMs: 'short' })).rejects.toThrow();
    },
  );
});

describe('a walker who interrupts', () => {
  it('silences Tansy, and only what was played stays in the history', async () => {
    const call = calls.get('baker-interrupts')!;
    const [cut, next] = voiceTurns(call);
    const interruption = truth('baker-interrupts')[1]!;
    const [fromMs, toMs] = [call.axisMs(interruption.fromMs), call.axisMs(interruption.toMs)];
    expect(cut!.interrupted).toMatch(/^the caller (said|spoke)/);
    expect(cut!.generated.startsWith(cut!.heard)).toBe(true);
    expect(cut!.heard.length).toBeLessThan(cut!.generated.length - 20);
    expect(level(call.assistant, call.rateHz, fromMs - 500, fromMs)).toBeGreaterThan(-45);
    expect(level(call.assistant, call.rateHz, fromMs + 1_000, toMs)).toBeLessThan(-80);
    expect(next!.heard).toMatch(/^Supper at Lantern Hut is at 18:00/);
    const thoughts = (await service.http.journal(call.conversation)).filter(({ kind }) => kind === 'think');
    const { messages } = thoughts[1]!.body as { messages: { role: string; text: string }[] };
    expect(messages.at(-2)).toEqual({ role: 'assistant', text: cut!.heard });
  });
});

describe('a walker who hesitates', () => {
  it('is not cut off: three pieces of speech are one turn', () => {
    const [first] = voiceTurns(calls.get('fisher-hesitates')!);
    expect(first!.text).toBe('Can you book three bunks at Rowan Hut for Friday under the name Fisher?');
    expect(voiceTurns(calls.get('fisher-hesitates')!)).toHaveLength(1);
  });
});

describe('a walker on a telephone line', () => {
  it('is heard and answered at 8 kHz', () => {
    const call = calls.get('walker-on-a-poor-line')!;
    expect(call.rateHz).toBe(8_000);
    expect(voiceTurns(call).some(({ heard }) => heard.includes('Heron Hut'))).toBe(true);
  });
});

describe('keys and typing', () => {
  const silence = (seconds: number) => writeWav([new Int16Array(seconds * 16_000)], 16_000);
  const seen = async () => {
    const { address } = service.pids.standins.thinker!;
    return (await (await fetch(`${address}/seen`)).json()) as { cancelled: number; finished: number };
  };

  /** Talks in silence; `act` sees every message. */
  function quietTalk(
    seconds: number,
    act: (line: CallerEnd, message: ServiceMessage) => void,
  ): Promise<RecordedCall> {
    let line: CallerEnd | null = null;
    return callWithRecording({
      address: service.address,
      recording: silence(seconds),
      onOpen: (open) => (line = open),
      onMessage: (message) => line && act(line, message),
    });
  }

  it('a typed turn is answered; hush stops the voice and reaches the model', async () => {
    const before = await seen();
    let typed = false;
    let hushed = false;
    const call = await quietTalk(6, (line, message) => {
      if (message.kind === 'turn' && !typed) {
        typed = true;
        line.send({ kind: 'typed', text: 'Tell me about the huts.' });
      }
      if (message.kind === 'speech' && typed && !hushed) {
        hushed = true;
        line.send({ kind: 'hush' });
      }
    });
    const report = call.reports.find(({ source }) => source === 'typed')!;
    expect(report).toMatchObject({
      text: 'Tell me about the huts.',
      interrupted: 'the caller asked for silence',
    });
    await until(async () => (await seen()).cancelled === before.cancelled + 1);
  });
});
