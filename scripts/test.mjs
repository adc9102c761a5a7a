/**
 * Runs the tests in two rows side by side, as this machine has two cores: those that drive long talks through a microphone
 * or a browser, one after the other; and the rest of those in real time, then those that only compute, with the least
 * priority. Arguments go to Jest, and then there is one run of it.
 */
import { spawn } from 'node:child_process';
import { once } from 'node:events';

/** A run that takes longer hangs, in ms. */
const LONGEST_RUN_MS = 1_200_000;
/** What a test leaves open ends with its run. */
const jest = [
  '--experimental-vm-modules',
  '--no-warnings',
  'node_modules/jest/bin/jest.js',
  '--forceExit',
  '--runInBand',
];
const COMPUTING =
  'packages/(core|protocol|client)/|standins/|test/(shell|talk-shell|project-files|files|stages|guard|card-parts|check|print)[.]';
const SHORT_TALKS = 'cli/test/cli[.]|test/(alone|resume|cards|engines|engines-in-service|ears|database)[.]';
/** What hurts the machine as much as it can: after the talks of a browser, and the campaign after all others. */
const HARD = 'test/(door|decoding|stored|unhurt)[.]';
const CAMPAIGN = 'test/hostile[.]';
const asked = process.argv.slice(2);

async function run(program, args) {
  const child = spawn(program, args, { stdio: 'inherit' });
  const timer = setTimeout(() => child.kill('SIGKILL'), LONGEST_RUN_MS);
  const [code] = await once(child, 'exit');
  clearTimeout(timer);
  return code ?? 1;
}

const only = (pattern) => run(process.execPath, [...jest, '--testPathPatterns', pattern]);

async function longTalks() {
  const others = ['/node_modules/', '/dist/', COMPUTING, SHORT_TALKS, HARD, CAMPAIGN];
  return [await run(process.execPath, [...jest, '--testPathIgnorePatterns', ...others])];
}

async function theRest() {
  const talks = await only(SHORT_TALKS);
  const hard = await only(HARD);
  const least = ['-n', '19', process.execPath, ...jest];
  return [talks, hard, await run('nice', [...least, '--testPathPatterns', COMPUTING])];
}

const codes =
  asked.length > 0
    ? [await run(process.execPath, [...jest, ...asked])]
    : [...(await Promise.all([longTalks(), theRest()])).flat(), await only(CAMPAIGN)];
process.exit(Math.max(...codes));
