/** What an engine gives, read to its end, with its times from the asking on. */
import { addCalls, joinPcm16, MOST_ROUNDS, noSuchFunction, type Call, type Used } from '@verbalon/core';
import type { LlmEngine, LlmEvent, LlmRequest, TtsEngine, TtsRequest } from '@verbalon/engines';

interface Times {
  /** To its first answer, in ms; null where none came. */
  firstMs: number | null;
  endMs: number;
}

/**
 * What the model says. Functions that it asks for it is told not to be there, and it goes on, so often as it
 * does in a talk.
 * @throws EngineFault
 */
export async function* answering(llm: LlmEngine, request: LlmRequest): AsyncIterable<LlmEvent> {
  let { messages } = request;
  let calls: Call[] = [];
  let hasSpoken = false;
  for (let round = 0; round === 0 || (calls.length > 0 && round <= MOST_ROUNDS); round++) {
    const results = calls.map(({ name }) => noSuchFunction(name));
    if (calls.length > 0) messages = addCalls(messages, '', calls, results);
    calls = [];
    // What it says after calls is not glued to what it said before them.
    let before = hasSpoken ? ' ' : '';
    for await (const event of llm.think({ ...request, messages })) {
      if (event.kind === 'call') calls.push(event.call);
      if (event.kind !== 'piece') yield event;
      else {
        yield { kind: 'piece', text: `${before}${event.text}` };
        before = '';
        hasSpoken = true;
      }
    }
  }
}

/** @throws EngineFault */
export async function wholeAnswer(
  llm: LlmEngine,
  request: LlmRequest,
): Promise<Times & { text: string; pieces: number; used: Partial<Used>; called: Call[] }> {
  const fromMs = performance.now();
  let firstMs: number | null = null;
  let pieces = 0;
  let used: Partial<Used> = {};
  let text = '';
  const called: Call[] = [];
  for await (const event of answering(llm, request)) {
    if (event.kind === 'usage')
      used = {
        tokensIn: (used.tokensIn ?? 0) + event.inputTokens,
        tokensOut: (used.tokensOut ?? 0) + event.outputTokens,
      };
    if (event.kind === 'call') called.push(event.call);
    if (event.kind !== 'piece') continue;
    firstMs ??= performance.now() - fromMs;
    pieces++;
    text += event.text;
  }
  return { text: text.trim(), pieces, used, called, firstMs, endMs: performance.now() - fromMs };
}

/** @throws EngineFault */
export async function wholeSound(
  tts: TtsEngine,
  request: TtsRequest,
): Promise<Times & { samples: Int16Array }> {
  const fromMs = performance.now();
  let firstMs: number | null = null;
  const parts: Int16Array[] = [];
  for await (const { samples } of tts.speak(request)) {
    firstMs ??= performance.now() - fromMs;
    parts.push(samples);
  }
  const endMs = performance.now() - fromMs;
  return { samples: joinPcm16(parts), firstMs, endMs };
}
