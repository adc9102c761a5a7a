/** What an engine gives, read to its end, with its times from the asking on. */
import { joinPcm16, type Used } from '@verbalon/core';
import type { LlmEngine, LlmRequest, TtsEngine, TtsRequest } from '@verbalon/engines';

interface Times {
  /** To its first answer, in ms; null where none came. */
  firstMs: number | null;
  endMs: number;
}

/** @throws EngineFault */
export async function wholeAnswer(
  llm: LlmEngine,
  request: LlmRequest,
): Promise<Times & { text: string; pieces: number; used: Partial<Used> }> {
  const fromMs = performance.now();
  let firstMs: number | null = null;
  let pieces = 0;
  let used: Partial<Used> = {};
  let text = '';
  for await (const event of llm.think(request)) {
    if (event.kind === 'usage') used = { tokensIn: event.piecesIn, tokensOut: event.piecesOut };
    if (event.kind !== 'piece') continue;
    firstMs ??= performance.now() - fromMs;
    pieces++;
    text += event.text;
  }
  return { text: text.trim(), pieces, used, firstMs, endMs: performance.now() - fromMs };
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
