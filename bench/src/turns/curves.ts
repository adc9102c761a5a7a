/** The trade-off curves of the bench as a picture: cut-offs against wait, for all ways. */
import { writeFileSync } from 'node:fs';
import { parse, View } from 'vega';
import { cheapestShare, pauseLawOf, probabilityAfter } from '@verbalon/core';
import { compile, type TopLevelSpec } from 'vega-lite';

export interface CurvePoint {
  way: string;
  /** What is turned: the points of a way are joined in its order. */
  dialMs: number;
  cutOffPercent: number;
  waitP50: number;
  gapP50: number;
}

/** Writes an SVG: waits on the left, gaps on the right. */
export async function drawCurves(points: readonly CurvePoint[], file: string): Promise<void> {
  const panel = (field: 'waitP50' | 'gapP50', title: string) => ({
    width: 360,
    height: 300,
    mark: { type: 'line' as const, point: true },
    encoding: {
      x: { field, type: 'quantitative' as const, title, scale: { zero: true } },
      y: { field: 'cutOffPercent', type: 'quantitative' as const, title: 'turns cut off, %' },
      color: {
        field: 'way',
        type: 'nominal' as const,
        title: null,
        scale: { range: ['#1f5c4a', '#c2571a', '#6b5b4d', '#a8326a'] },
      },
      shape: { field: 'way', type: 'nominal' as const, title: null },
      order: { field: 'dialMs', type: 'quantitative' as const },
    },
  });
  const spec: TopLevelSpec = {
    background: '#fbf7ef',
    data: { values: [...points] },
    hconcat: [
      panel('waitP50', 'caller’s last sound to the end of the turn, median, ms'),
      panel('gapP50', 'caller’s last sound to the answer, median, ms'),
    ],
    config: { font: 'sans-serif', legend: { orient: 'bottom', labelLimit: 300 } },
  };
  await draw(spec, file);
}

async function draw(spec: TopLevelSpec, file: string): Promise<void> {
  const view = new View(parse(compile(spec).spec), { renderer: 'none' });
  writeFileSync(file, await view.toSVG());
}

const LEEWAY_MS = 800;
const LONGEST_MS = 2_080;

/**
 * How probable the end is as a pause lasts, from several probabilities at its beginning, and where each wait
 * is over.
 */
export async function drawGrowth(file: string): Promise<void> {
  const law = pauseLawOf([]);
  const starts = [0.1, 0.3, 0.5, 0.7, 0.9, 0.97];
  const name = (atFirst: number) => `${Math.round(100 * atFirst)} %`;
  const point = (atFirst: number, ms: number) => ({
    atFirst: name(atFirst),
    ms,
    percent: 100 * probabilityAfter(atFirst, ms, law),
  });
  const times = Array.from({ length: 1 + LONGEST_MS / 20 }, (_, i) => 20 * i);
  const x = { field: 'ms', type: 'quantitative' as const, title: 'the pause has lasted, ms' };
  const y = { field: 'percent', type: 'quantitative' as const, title: 'the turn is over, %' };
  const color = {
    field: 'atFirst',
    type: 'nominal' as const,
    title: 'at first',
    scale: { scheme: 'viridis' as const },
  };
  const waits = starts.map((atFirst) =>
    point(atFirst, Math.min(LONGEST_MS, LEEWAY_MS * Math.max(0.3, cheapestShare(atFirst, law)))),
  );
  const spec: TopLevelSpec = {
    background: '#fbf7ef',
    width: 520,
    height: 300,
    title: `Dots: where the wait is over (leeway ${LEEWAY_MS} ms)`,
    layer: [
      {
        data: { values: starts.flatMap((atFirst) => times.map((ms) => point(atFirst, ms))) },
        mark: 'line',
        encoding: { x, y, color },
      },
      { data: { values: waits }, mark: { type: 'point', filled: true, size: 90 }, encoding: { x, y, color } },
    ],
    config: { font: 'sans-serif' },
  };
  await draw(spec, file);
}
