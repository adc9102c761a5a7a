/**
 * A model that is sometimes late, with and without a second one asked beside it: the gap's tail, and what it
 * costs.
 */
import { quickTurn } from '@verbalon/hostile';
import { seeded } from '@verbalon/core';
import { spread } from '../common/stage.js';
import { clouds } from './clouds.js';

const TURNS = 80;
/** So many turns of a hundred meet a model that stalls before its first piece. */
const LATE_PERCENT = 8;
const QUESTIONS = [
  'Is the path over the saddle open today?',
  'What time is supper at Heron Hut?',
  'Who is the warden of Saddle Hut?',
];

export async function hedgedBench(): Promise<object> {
  const rows = [];
  for (const hedged of [false, true]) {
    const engines = {
      'alder-mind': (yaml: string) => yaml.replace('hedged: true', `hedged: ${hedged}`),
    };
    const place = await clouds((yaml) => yaml, { engines });
    const random = seeded(5);
    const gaps: number[] = [];
    let cost = 0;
    let wasted = 0;
    for (let i = 0; i < TURNS; i++) {
      place.service.engines.get('alder-mind').guard.health.succeeded();
      place.service.engines.health.look();
      if (i > 10 && random() * 100 < LATE_PERCENT)
        await place.panel('alder', 'POST', { role: 'llm', kind: 'stall', times: 1 });
      const { firstSoundMs, messages } = await quickTurn(place.service.address, {
        text: QUESTIONS[i % QUESTIONS.length]!,
      });
      if (i > 10) gaps.push(firstSoundMs ?? 0);
      const spent = messages.findLast(({ kind }) => kind === 'spent');
      if (spent?.kind === 'spent') {
        cost += spent.sums[0]?.cost ?? 0;
        wasted += spent.sums[0]?.wasted ?? 0;
      }
    }
    rows.push({
      hedged,
      turns: gaps.length,
      toFirstSoundMs: spread(gaps),
      costEur: Number(cost.toFixed(5)),
      wastedEur: Number(wasted.toFixed(5)),
    });
    await place.end();
  }
  return { seed: 5, latePercent: LATE_PERCENT, rows };
}
