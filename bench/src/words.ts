/**
 * Word errors of `listen` on sentences that the expected phrases do not hold, with and without expected
 * phrases.
 */
import { callWithRecording } from '@verbalon/client/node';
import {
  comparableWords,
  errorRate,
  errorsIn,
  HOUSE_RATE_HZ,
  joinPcm16,
  wordErrors,
  writeWav,
} from '@verbalon/core';
import { FliteEngine } from '@verbalon/engines';
import { benchService, round, together } from './common/stage.js';

const VOICES = ['rms', 'awb', 'slt'] as const;
const GAP_MS = 1_000;

/** None of these is among what the templates of demo/assistants/tansy.yaml allow. */
const SENTENCES = [
  'Hello, is the path over the saddle open this afternoon?',
  'How many bunks are still free at Heron Hut on Saturday?',
  'Do you have four beds left at Lantern Hut for Sunday night?',
  'We are five now, so make it five please.',
  'I am walking with two friends and a dog.',
  'Please tell the warden at Saddle Hut that we will be very late.',
  'Is there a bridge below Rowan Hut?',
  'We would like to stay at Heron Hut for two nights.',
  'Thank you very much for your help, goodbye.',
  'What will the weather be like on Sunday?',
  'How far is it to Saddle Hut if we start at Heron Hut?',
  'Who is the warden of Lantern Hut this summer?',
  'Can we bring our dog to Rowan Hut tomorrow?',
  'When do you serve supper at Saddle Hut on Friday?',
  'I need three bunks at Rowan Hut, under the name Carter.',
];

export async function wordsBench(): Promise<object> {
  const tts = new FliteEngine({
    name: 'speakers',
    title: 'speakers',
    languages: ['en'],
    voices: Object.fromEntries(VOICES.map((name) => [name, name])),
    hosts: 1,
  });
  await tts.warm();
  const service = await benchService([]);
  const cases = ['tansy', 'plain'].flatMap((assistant) => VOICES.map((voice) => ({ assistant, voice })));
  const rows = await together(cases, 2, async ({ assistant, voice }) => {
    const parts: Int16Array[] = [];
    for (const text of SENTENCES) {
      const request = {
        text,
        language: 'en',
        voice: { name: voice },
        stay: null,
        signal: new AbortController().signal,
      };
      for await (const { samples } of tts.speak(request))
        parts.push(new Int16Array((GAP_MS * HOUSE_RATE_HZ) / 1000), samples);
    }
    const recording = writeWav([joinPcm16(parts)], HOUSE_RATE_HZ);
    const call = await callWithRecording({
      address: service.address,
      assistant,
      purpose: 'listen',
      recording,
    });
    const heard = call.messages.flatMap((message) =>
      message.kind === 'final'
        ? message.words.flatMap(({ word, spoken }) => comparableWords(spoken ?? word))
        : [],
    );
    const errors = wordErrors(comparableWords(SENTENCES.join(' ')), heard);
    return { assistant, voice, ...errors, rate: round(errorRate(errors), 3) };
  });
  await service.end();
  await tts.close();
  const overall = (assistant: string) => {
    const of = rows.filter((row) => row.assistant === assistant);
    const wrong = of.reduce((sum, row) => sum + errorsIn(row), 0);
    return round(wrong / of.reduce((sum, row) => sum + row.words, 0), 3);
  };
  return { withExpectedPhrases: overall('tansy'), without: overall('plain'), rows };
}
