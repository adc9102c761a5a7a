/**
 * One request, the whole round trip: a recording in; what was understood, the answer and its sound out, in
 * the order in which they come.
 */
import { randomUUID } from 'node:crypto';
import {
  addEntry,
  cutPiece,
  cutRest,
  HOUSE_RATE_HZ,
  newCutter,
  pauseAfter,
  pcm16Bytes,
  samplesOfMs,
  spokenLanguage,
  spokenPhrases,
  type Entry,
} from '@verbalon/core';
import type { LlmEngine, SttEngine, TtsEngine, TtsRequest } from '@verbalon/engines';
import type { ExchangeEvent } from '@verbalon/protocol';
import { ProblemError } from '../problems/problems.js';
import type { Assistant } from '../project/events.js';
import { transcribe } from './transcribe.js';
import { answering } from './whole.js';

/** Conversations that are kept to be gone on with; the one that was longest left alone goes first. */
const MOST_KEPT = 1_000;
const MOST_ENTRIES = 200;

/** What was said in exchanges, so that they can go on: in memory, and gone with the process. */
export class Exchanges {
  private readonly kept = new Map<string, { assistant: string; entries: Entry[] }>();

  /** @throws ProblemError `conversation-unknown` */
  find(id: string | undefined, assistant: string): { id: string; entries: Entry[] } {
    if (id === undefined) return { id: randomUUID(), entries: [] };
    const known = this.kept.get(id);
    if (known?.assistant !== assistant)
      throw new ProblemError('conversation-unknown', `no exchange of ${assistant} with the id ${id} is kept`);
    return { id, entries: known.entries };
  }

  keep(id: string, assistant: string, entries: Entry[]): void {
    this.kept.delete(id);
    this.kept.set(id, { assistant, entries: entries.slice(-MOST_ENTRIES) });
    const oldest = this.kept.keys().next().value;
    if (this.kept.size > MOST_KEPT && oldest !== undefined) this.kept.delete(oldest);
  }
}

interface Exchanged {
  file: string;
  assistant: Assistant;
  engines: { stt: SttEngine; llm: LlmEngine; tts: TtsEngine };
  voice: TtsRequest['voice'];
  /** One that goes on. */
  conversation: string | undefined;
}

/** @throws Fault for the recording, EngineFault, ProblemError */
export async function* exchange(
  { file, assistant, engines, voice, conversation }: Exchanged,
  exchanges: Exchanges,
  signal: AbortSignal,
): AsyncIterable<ExchangeEvent> {
  const { name, plan } = assistant;
  const stay = assistant.file.stay ?? null;
  const language = spokenLanguage(plan);
  const { id, entries } = exchanges.find(conversation, name);
  const fromMs = performance.now();
  const sinceMs = () => Math.round(performance.now() - fromMs);
  let understood = '';
  for await (const event of transcribe(file, assistant, engines.stt, signal))
    if (event.kind === 'done') understood = event.transcript.text;
  yield { kind: 'understood', text: understood, atMs: sinceMs() };
  let before: string | null = null;
  async function* spoken(phrases: readonly string[]): AsyncIterable<ExchangeEvent> {
    for (const text of phrases.flatMap(spokenPhrases)) {
      if (before !== null)
        yield soundEvent('', new Int16Array(samplesOfMs(pauseAfter(before), HOUSE_RATE_HZ)));
      before = text;
      for await (const { samples } of engines.tts.speak({
        text,
        language,
        voice,
        talk: id,
        stay,
        alone: true,
        signal,
      }))
        yield soundEvent(text, samples);
    }
  }
  const soundEvent = (text: string, samples: Int16Array): ExchangeEvent => ({
    kind: 'sound',
    text,
    pcm16: Buffer.from(pcm16Bytes(samples)).toString('base64'),
    atMs: sinceMs(),
  });
  let answer = '';
  if (understood === '') {
    answer = plan.sayings.unheard;
    yield { kind: 'answer', text: answer, atMs: sinceMs() };
    yield* spoken([answer]);
  } else {
    const messages = addEntry(entries, 'caller', understood);
    const { persona, manners } = plan;
    let cutter = newCutter();
    const request = {
      persona,
      messages,
      answerLength: manners.answerLength,
      language,
      talk: id,
      turn: entries.length,
      alone: true,
      stay,
      signal,
    };
    for await (const event of answering(engines.llm, request)) {
      if (event.kind !== 'piece') continue;
      answer += event.text;
      yield { kind: 'answer', text: event.text, atMs: sinceMs() };
      const cut = cutPiece(cutter, event.text);
      cutter = cut.cutter;
      yield* spoken(cut.phrases);
    }
    yield* spoken(cutRest(cutter));
    exchanges.keep(id, name, addEntry(messages, 'assistant', answer));
  }
  yield { kind: 'done', conversation: id, understood, answer: answer.trim(), tookMs: sinceMs() };
}
