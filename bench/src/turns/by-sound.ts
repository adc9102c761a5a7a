/** Word errors before and after words are put right by their sound, and how often a wrong one is put. */
import {
  alignWords,
  bySound,
  comparableWords,
  errorsIn,
  PhraseSounds,
  wordErrors,
  type HeardWord,
  type Plan,
} from '@verbalon/core';
import { shareOf } from '../common/statistics.js';
import type { HeardTurn } from './judge.js';

interface Settled {
  turn: HeardTurn;
  said: string[];
  heard: HeardWord[];
  settled: HeardWord[];
}

export function settlingOf(turns: readonly HeardTurn[], { expect, sounds }: Plan): object | null {
  if (!sounds) return null;
  const phrases = new PhraseSounds(expect, sounds);
  const all = turns.map((turn): Settled => {
    const settled: HeardWord[] = [];
    for (const { final } of turn.heard.stretches) settled.push(...bySound(phrases, settled, final));
    return {
      turn,
      said: comparableWords(turn.text),
      heard: turn.heard.stretches.flatMap(({ final }) => final),
      settled,
    };
  });
  const quiet = all.filter(
    ({ turn: { condition } }) => condition.noise === null && condition.rateHz === 16_000,
  );
  return { all: errorsOf(all), quiet: errorsOf(quiet) };
}

function errorsOf(rows: readonly Settled[]): object {
  const words = rows.reduce((sum, { said }) => sum + said.length, 0);
  const errors = (of: 'heard' | 'settled') =>
    rows.reduce((sum, row) => {
      const errors = wordErrors(
        row.said,
        row[of].map(({ word }) => word),
      );
      return sum + errorsIn(errors);
    }, 0);
  const put = rows.flatMap(putIn);
  return {
    words,
    before: shareOf(errors('heard'), words),
    after: shareOf(errors('settled'), words),
    put: put.length,
    wrong: shareOf(put.filter((isRight) => !isRight).length, words),
  };
}

/** Of each word that was put: is it what was said? */
function putIn({ said, settled }: Settled): boolean[] {
  const aligned = alignWords(
    said,
    settled.map(({ word }) => word),
  ).filter(({ what }) => what !== 'missing');
  return aligned.flatMap(({ what }, i) => (settled[i]!.heardAs === undefined ? [] : [what === 'same']));
}
