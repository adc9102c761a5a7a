/**
 * The caller's last sound to the assistant's first, beside two plain ways with the same engines in the same
 * run.
 */
import { callWithRecording } from '@verbalon/client/node';
import { cutRest, expandPhrases, HOUSE_RATE_HZ, samplesOfMs } from '@verbalon/core';
import { FliteEngine, PocketSphinxEngine } from '@verbalon/engines';
import { LinesEngine } from './hand-written.js';
import { audible, benchService, recordingOf, round, sayings, spread, type Saying } from './common/stage.js';

const LEAD_MS = 1_000;
const FIXED_WAIT_MS = 700;
const REPLY_WORDS = 40;
/** The answer is heard for so long before it is hushed, to save time. */
const LISTEN_MS = 900;

interface Ours {
  gapMs: number;
  ownMs: number;
  parts: Record<string, number>;
}

async function ours(address: string, saying: Saying): Promise<Ours> {
  const lengthMs = LEAD_MS + (saying.samples.length * 1000) / HOUSE_RATE_HZ;
  let hushed: NodeJS.Timeout | null = null;
  let press = (): void => undefined;
  const call = await callWithRecording({
    address,
    recording: recordingOf([{ atMs: LEAD_MS, samples: saying.samples }], lengthMs + 1_500),
    onOpen: (caller) => (press = () => caller.hush()),
    onMessage: (message) => {
      if (message.kind === 'speech') hushed ??= setTimeout(() => press(), LISTEN_MS);
    },
  });
  const sound = audible(call.assistant, call.rateHz);
  const report = call.reports.find(({ source }) => source === 'voice');
  if (!sound || !report?.gap) throw new Error(`"${saying.text}" was not answered`);
  const parts = Object.fromEntries(report.gap.parts.map(({ part, ms }) => [part, ms]));
  const gapMs = sound.fromMs - lengthMs;
  const limitMs = report.wait!.ms + parts.thinking! + parts.phrase! + parts.synthesis!;
  return { gapMs, ownMs: gapMs - limitMs, parts };
}

/** The engines as a plain program would use them, without the service. */
class PlainWays {
  private readonly common = { title: 'plain', languages: ['en'] };
  private readonly stt = new PocketSphinxEngine({
    ...this.common,
    name: 'ears',
    hosts: 1,
    workFolder: '/tmp/verbalon-bench-models',
  });
  private readonly tts = new FliteEngine({ ...this.common, name: 'voice', voices: { slt: 'slt' }, hosts: 1 });
  private readonly llm: LinesEngine;

  constructor(thinkerAddress: string) {
    this.llm = new LinesEngine({
      ...this.common,
      name: 'thinker',
      where: 'cloud',
      address: thinkerAddress,
      patienceMs: 10_000,
    });
  }

  async warm(): Promise<void> {
    await Promise.all([this.stt.warm(), this.tts.warm(), this.llm.warm()]);
    const sentences = expandPhrases({ phrases: ['is the path open', 'how many bunks are free'] }, 'en');
    await this.stt.prepare({ key: 'plain', sentences, weight: 0.3, pronunciations: {} });
  }

  async close(): Promise<void> {
    await Promise.all([this.stt.close(), this.tts.close(), this.llm.close()]);
  }

  private signal(): AbortSignal {
    return new AbortController().signal;
  }

  private async *reply(text: string): AsyncIterable<string> {
    const request = {
      persona: '',
      messages: [{ role: 'caller' as const, text }],
      answerLength: 'short' as const,
      language: 'en' as const,
      talk: 'plain',
    };
    for await (const event of this.llm.think({ ...request, stay: null, signal: this.signal() }))
      if (event.kind === 'piece') yield event.text;
  }

  private async say(text: string): Promise<void> {
    for await (const event of this.tts.speak({
      text,
      language: 'en',
      voice: { name: 'slt' },
      stay: null,
      signal: this.signal(),
    }))
      void event;
  }

  /** Record to the end of the silence, whole transcript, whole reply, whole synthesis, then play. */
  async serial({ samples }: Saying): Promise<number> {
    const from = performance.now();
    const stream = this.stt.open({
      language: 'en',
      profile: null,
      talk: 'serial',
      stay: null,
      signal: this.signal(),
    });
    stream.push(samples);
    stream.push(new Int16Array(samplesOfMs(FIXED_WAIT_MS, HOUSE_RATE_HZ)));
    stream.finish();
    const text = await finalOf(stream.events);
    let whole = '';
    for await (const piece of this.reply(text)) whole += piece;
    await this.say(whole);
    return FIXED_WAIT_MS + performance.now() - from;
  }

  /** Everything streams, but the wait is fixed and the voice begins with the first whole sentence. */
  async streamed({ samples }: Saying): Promise<number> {
    const stream = this.stt.open({
      language: 'en',
      profile: null,
      talk: 'streamed',
      stay: null,
      signal: this.signal(),
    });
    const frame = samplesOfMs(20, HOUSE_RATE_HZ);
    const sound = new Int16Array(samples.length + samplesOfMs(FIXED_WAIT_MS, HOUSE_RATE_HZ));
    sound.set(samples);
    const start = performance.now();
    for (let at = 0; at < sound.length; at += frame) {
      const dueMs = start + ((at + frame) * 1000) / HOUSE_RATE_HZ;
      await new Promise((done) => setTimeout(done, Math.max(0, dueMs - performance.now())));
      stream.push(sound.slice(at, at + frame));
    }
    const from = performance.now();
    stream.finish();
    const text = await finalOf(stream.events);
    let written = '';
    for await (const piece of this.reply(text)) {
      written += piece;
      if (/[.!?]$/.test(written)) break;
    }
    await this.say(cutRest({ rest: written, cut: 2 }).join(' '));
    return FIXED_WAIT_MS + performance.now() - from;
  }
}

async function finalOf(events: AsyncIterable<{ kind: string; words: { word: string }[] }>): Promise<string> {
  let text = '';
  for await (const { words } of events) text = words.map(({ word }) => word).join(' ');
  return text;
}

export async function gapBench(): Promise<object> {
  const service = await benchService(['--fixed-words', String(REPLY_WORDS)]);
  const said = sayings(['miller-asks', 'baker-interrupts']);
  const found: Ours[] = [];
  for (const saying of said) found.push(await ours(service.address, saying));
  const plain = new PlainWays(service.pids().standins.thinker!.address);
  await plain.warm();
  const serial: number[] = [];
  const streamed: number[] = [];
  for (const saying of said) {
    serial.push(await plain.serial(saying));
    streamed.push(await plain.streamed(saying));
  }
  await plain.close();
  await service.end();
  const gap = spread(found.map(({ gapMs }) => gapMs));
  const mean = (part: string) =>
    round(found.reduce((sum, { parts }) => sum + parts[part]!, 0) / found.length);
  return {
    replyWords: REPLY_WORDS,
    gap,
    ownGap: spread(found.map(({ ownMs }) => ownMs)),
    partsMean: Object.fromEntries(Object.keys(found[0]!.parts).map((part) => [part, mean(part)])),
    serial: spread(serial),
    streamedFixed: spread(streamed),
    serialOverOurs: round(spread(serial).p50 / gap.p50, 2),
    streamedOverOurs: round(spread(streamed).p50 / gap.p50, 2),
  };
}
