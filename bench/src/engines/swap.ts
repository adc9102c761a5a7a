/**
 * Swaps during a talk: added time against a turn with the same engine and no swap, and what becomes of the
 * sound.
 */
import { quickTurn, type What } from '@verbalon/hostile';
import {
  comparableWords,
  countErrors,
  errorsIn,
  alignWords,
  HOUSE_RATE_HZ,
  percentile,
} from '@verbalon/core';
import { sayings, spread } from '../common/stage.js';
import { clouds } from './clouds.js';

const TURNS = 20;
const MOST_SAMPLES = 3 * HOUSE_RATE_HZ;
const SWAPS = [
  { role: 'stt', engine: 'birch-ears' },
  { role: 'llm', engine: 'birch-mind' },
  { role: 'tts', engine: 'birch-voice' },
] as const;

export async function swapBench(): Promise<object> {
  // The same engines, once from the beginning and once by a swap.
  const swapped = await clouds();
  const from = await clouds((yaml) =>
    yaml
      .replace('[alder-ears, birch-ears, ears]', '[birch-ears, ears]')
      .replace('[alder-mind, birch-mind, thinker]', '[birch-mind, thinker]')
      .replace('[alder-voice, birch-voice, voice]', '[birch-voice, voice]'),
  );
  const said = sayings(['miller-asks', 'baker-interrupts']).filter(
    ({ samples }) => samples.length < MOST_SAMPLES,
  );
  const rows = [];
  for (const swap of SWAPS) {
    const whats: What[] =
      swap.role === 'stt'
        ? said
        : [
            { text: 'Is the path over the saddle open today?' },
            { text: 'What time is supper at Heron Hut?' },
          ];
    const [plain, with_]: [number[], number[]] = [[], []];
    let errors = 0;
    for (let i = 0; i < TURNS; i++) {
      const what = whats[i % whats.length]!;
      const a = await quickTurn(from.service.address, what);
      const b = await quickTurn(swapped.service.address, what, { swap });
      const text = (turn: typeof a) =>
        comparableWords(swap.role === 'stt' ? turn.report.spoken : turn.report.heard);
      errors += errorsIn(countErrors(alignWords(text(a), text(b))));
      // The role's own part of the turn: the other engines are not those of the other service.
      plain.push(partOf(swap.role, a.report.times));
      with_.push(partOf(swap.role, b.report.times));
    }
    rows.push({
      ...swap,
      turns: TURNS,
      wordsDifferent: errors,
      plainMs: spread(plain),
      swappedMs: spread(with_),
      addedP95: Math.round(percentile(with_, 0.95) - percentile(plain, 0.95)),
      addedP50: Math.round(percentile(with_, 0.5) - percentile(plain, 0.5)),
    });
  }
  await swapped.end();
  await from.end();
  return { seed: 12, rows };
}

type Times = Awaited<ReturnType<typeof quickTurn>>['report']['times'];

function partOf(role: 'stt' | 'llm' | 'tts', times: Times): number {
  if (role === 'stt') return times.finalMs! - times.voiceEndedMs!;
  if (role === 'llm') return times.firstPieceMs! - times.thinkingMs!;
  return times.firstAudioMs! - times.firstPhraseMs!;
}
