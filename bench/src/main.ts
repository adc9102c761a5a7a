/**
 * `npm run bench [NAME …]`: runs the benches, prints what they found, and keeps it as JSON in bench/results.
 */
import { mkdirSync, writeFileSync } from 'node:fs';
import { cpus } from 'node:os';
import { fileURLToPath } from 'node:url';
import { reliefBench } from './engines/relief.js';
import { hedgedBench } from './engines/hedged.js';
import { swapBench } from './engines/swap.js';
import { beginBench } from './engines/begin.js';
import { errandsBench } from './errands/bench.js';
import { killsBench } from './errands/kills.js';
import { crowdBench } from './crowd/bench.js';
import { buttonBench } from './button.js';
import { faultsBench, strangersBench } from './faults.js';
import { gapBench } from './gap.js';
import { interruptionBench } from './interruption.js';
import { longBench } from './long.js';
import { phoneBench } from './phone.js';
import { narrowBench } from './narrow.js';
import { screensBench } from './screens.js';
import { overheadBench } from './overhead.js';
import { turnsBench } from './turns/bench.js';
import { overlapsBench } from './turns/overlap-bench.js';
import { liveBench } from './turns/live.js';
import { wordsBench } from './words.js';

const benches: Record<string, () => Promise<object>> = {
  overhead: overheadBench,
  gap: gapBench,
  interruption: interruptionBench,
  words: wordsBench,
  long: longBench,
  turns: turnsBench,
  overlaps: overlapsBench,
  live: liveBench,
  relief: () => reliefBench(),
  swap: swapBench,
  hedged: hedgedBench,
  begin: beginBench,
  errands: errandsBench,
  once: () => killsBench(Number(process.env.VERBALON_SEED ?? 1)),
  faults: faultsBench,
  strangers: strangersBench,
  button: buttonBench,
  crowd: crowdBench,
  phone: phoneBench,
  screens: screensBench,
  narrow: narrowBench,
};
const asked = process.argv.slice(2);
const unknown = asked.filter((name) => !Object.hasOwn(benches, name));
if (unknown.length > 0) {
  process.stderr.write(
    `there is no bench ${unknown.join(', ')}; there are ${Object.keys(benches).join(', ')}\n`,
  );
  process.exit(1);
}
const folder = fileURLToPath(new URL('../results', import.meta.url));
mkdirSync(folder, { recursive: true });
for (const name of asked.length > 0 ? asked : Object.keys(benches)) {
  process.stdout.write(`\n${name} …\n`);
  const found = {
    bench: name,
    date: new Date().toISOString(),
    cores: cpus().length,
    ...(await benches[name]!()),
  };
  writeFileSync(`${folder}/${name}.json`, `${JSON.stringify(found, null, 2)}\n`);
  for (const [key, value] of Object.entries(found)) {
    if (Array.isArray(value)) process.stdout.write(value.map((row) => `  ${JSON.stringify(row)}\n`).join(''));
    else
      process.stdout.write(
        `  ${key.padEnd(22)} ${typeof value === 'object' ? JSON.stringify(value) : String(value)}\n`,
      );
  }
}
