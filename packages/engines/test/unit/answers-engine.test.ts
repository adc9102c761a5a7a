/** Authored answers as an engine: what is passed on goes to the other model, and never comes to nothing. */
import { describe, expect, it } from '@jest/globals';
import { AnswerBook } from '@verbalon/core';
import { AnswersEngine } from '../../src/answers/engine.js';
import type { LlmEngine, LlmRequest } from '../../src/common/contract.js';

const book = new AnswerBook({ answers: [{ when: ['is it open'], say: ['It is open.'] }], otherwise: 'pass' });
const other = {
  async *think() {
    yield await Promise.resolve({ kind: 'piece' as const, text: 'Perhaps.' });
  },
} as unknown as LlmEngine;

async function answerTo(text: string, passTo: (() => LlmEngine) | null): Promise<string> {
  const engine = new AnswersEngine({
    name: 'desk',
    title: 'Desk',
    languages: ['en'],
    seed: 1,
    book: () => book,
    passTo,
  });
  const request = { talk: 't', messages: [{ role: 'caller', text }] } as unknown as LlmRequest;
  let said = '';
  for await (const event of engine.think(request)) if (event.kind === 'piece') said += event.text;
  return said;
}

describe('authored answers', () => {
  it('are said, and what they pass on is asked of the other model', async () => {
    expect(await answerTo('is it open', () => other)).toBe('It is open.');
    expect(await answerTo('is it far', () => other)).toBe('Perhaps.');
  });

  it('that pass on without another model fail, so that somebody else is asked', async () => {
    expect(await answerTo('is it open', null)).toBe('It is open.');
    await expect(answerTo('is it far', null)).rejects.toThrow(/the card desk names no engine to pass to/);
  });
});
