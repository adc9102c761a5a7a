/** The trade-off curves of the bench as a picture: cut-offs against wait, for all ways. */
import { writeFileSync } from 'node:fs';
import { parse, View } from 'vega';
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
  const view = new View(parse(compile(spec).spec), { renderer: 'none' });
  writeFileSync(file, await view.toSVG());
}
