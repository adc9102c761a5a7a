/**
 * Runs the tests in three rows side by side: two that drive real talks, each one after the other, and, with the least
 * priority, those that need no real time. Arguments go to Jest, and then there is one run of it.
 */
import { spawn } from 'node:child_process';
import { once } from 'node:events';

/** A row that takes longer hangs, in ms. */
const LONGEST_ROW_MS = 1_200_000;
/** What a test leaves open ends with its row. */
const jest = ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js', '--forceExit'];
const COMPUTING =
  'packages/(core|protocol|client)/|standins/|test/(cards|engines-in-service|shell|ears|database|project-files)[.]';
/** These mostly wait, and use no microphone and no browser. */
const WAITING = 'cli/test/cli[.]|test/(resume|alone)[.]';
const asked = process.argv.slice(2);

async function run(program, args) {
  const child = spawn(program, args, { stdio: 'inherit' });
  const timer = setTimeout(() => child.kill('SIGKILL'), LONGEST_ROW_MS);
  const [code] = await once(child, 'exit');
  clearTimeout(timer);
  return code ?? 1;
}

const row = (...args) => run(process.execPath, [...jest, '--runInBand', ...args]);
const codes =
  asked.length > 0
    ? [await run(process.execPath, [...jest, ...asked])]
    : await Promise.all([
        row('--testPathIgnorePatterns', '/node_modules/', '/dist/', COMPUTING, WAITING),
        row('--testPathPatterns', WAITING),
        run('nice', ['-n', '19', process.execPath, ...jest, '--testPathPatterns', COMPUTING]),
      ]);
process.exit(Math.max(...codes));
