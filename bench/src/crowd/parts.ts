/** What a profile of the service's process went into. */

export interface CpuProfile {
  nodes: { id: number; callFrame: { functionName: string; url: string } }[];
  samples: number[];
  timeDeltas: number[];
}

/** The first that fits a file has it. */
const PARTS: readonly [string, RegExp][] = [
  ['ear', /^wasm:|core\/dist\/(?:hearing\/(?:ear|voice|melody|echo)|audio|fft)|fft\.js/],
  ['conductor', /core\/dist/],
  ['storage', /service\/dist\/database|drizzle|node_modules\/pg|postgres/],
  ['codec', /protocol\/dist|ajv|typebox/],
  ['socket', /node_modules\/ws|node:net|node:internal\/(?:stream|net)|node:stream|node:_http/],
  ['talk', /service\/dist|engines\/dist/],
  ['callers’ engines', /bench\/dist/],
];

/** Self time by part, in ms. */
export function partsOf({ nodes, samples, timeDeltas }: CpuProfile): Record<string, number> {
  const names = new Map(nodes.map(({ id, callFrame }) => [id, partOf(callFrame)]));
  const sums: Record<string, number> = {};
  for (const [i, id] of samples.entries()) {
    const name = names.get(id)!;
    sums[name] = (sums[name] ?? 0) + timeDeltas[i]! / 1_000;
  }
  delete sums.idle;
  return Object.fromEntries(Object.entries(sums).sort(([, a], [, b]) => b - a));
}

function partOf({ functionName, url }: CpuProfile['nodes'][number]['callFrame']): string {
  if (functionName === '(idle)') return 'idle';
  if (functionName === '(garbage collector)') return 'garbage';
  if (url === '' || functionName === '(program)') return 'machine';
  return PARTS.find(([, files]) => files.test(url))?.[0] ?? 'node';
}
