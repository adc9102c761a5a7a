/** The stand-in model, asked as a caller would ask. */
import { describe, expect, it } from '@jest/globals';
import { resolve } from 'node:path';
import { answer, type Said } from '../../src/common/answer.js';
import { readKnowledge } from '../../src/common/knowledge.js';

const knowledge = readKnowledge(resolve('demo/knowledge/huts.yaml'));

/** The answers to these sayings, one conversation. */
function talk(sayings: string[], answerLength: 'short' | 'long' = 'short'): string[] {
  const talkSoFar: Said[] = [];
  return sayings.map((text) => {
    talkSoFar.push({ by: 'caller', words: text });
    const reply = answer(knowledge, { persona: 'You are Tansy, the assistant.', talkSoFar, answerLength });
    talkSoFar.push({ by: 'assistant', words: reply });
    return reply;
  });
}

describe('the stand-in model', () => {
  it.each([
    ['is the path over the saddle open', /^Yes, the path over the saddle is open/],
    [
      'how many bunks are free at heron hut on saturday',
      /^There are four bunks free at Heron Hut on Saturday\.$/,
    ],
    ['are there any beds left at lantern hut on saturday', /full on Saturday/],
    ['what does a bunk cost', /24 euros/],
    ['can i bring my dog', /Dogs are welcome/],
    ['who are you', /I am Tansy/],
    ['when is supper at lantern hut', /^Supper at Lantern Hut is at 18:00/],
    ['is the bridge below rowan hut closed', /bridge below Rowan Hut is open/],
    ['sing me a song', /not in my knowledge sheet/],
  ])('%j', (saying, wanted) => {
    expect(talk([saying])[0]).toMatch(wanted);
  });

  it('remembers what was said in the conversation, and only there', () => {
    const replies = talk([
      'book three bunks at rowan hut for friday under the name miller',
      'actually make it four',
      'make it ten',
      'and on sunday',
      'what is my name',
      'what did i just ask',
    ]);
    expect(replies[0]).toMatch(/room for three on Friday, under the name Miller/);
    expect(replies[1]).toMatch(/room for four on Friday/);
    expect(replies[2]).toMatch(/only six bunks are free/);
    expect(replies[3]).toMatch(/only nine bunks are free at Rowan Hut on Sunday, and you need ten/);
    expect(replies[4]).toMatch(/your name is Miller/);
    expect(replies[5]).toMatch(/what is my name/);
    expect(talk(['what is my name'])[0]).toMatch(/not told me/);
  });

  it('is longer where long answers are wanted', () => {
    expect(talk(['tell me about the huts'], 'long')[0]!.length).toBeGreaterThan(
      1.5 * talk(['tell me about the huts'])[0]!.length,
    );
  });
});
