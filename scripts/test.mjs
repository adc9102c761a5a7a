/**
 * Runs the tests, one project after the other: those that are live (real engines, a browser, a microphone) alone; those of the
 * service and those that only compute two files at a time, as this machine has two cores. Arguments go to Jest, and then there is one
 * run of it.
 */
import { spawn } from 'node:child_process';
import { once } from 'node:events';

/** A run that takes longer hangs, in ms. */
const LONGEST_RUN_MS = 1_800_000;
const jest = ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js'];

async function run(args) {
  const child = spawn(process.execPath, [...jest, ...args], { stdio: 'inherit' });
  const timer = setTimeout(() => child.kill('SIGKILL'), LONGEST_RUN_MS);
  const [code] = await once(child, 'exit');
  clearTimeout(timer);
  return code ?? 1;
}

async function all() {
  const live = await run(['--selectProjects', 'live', '--runInBand']);
  const service = await run(['--selectProjects', 'service', '--maxWorkers', '2']);
  const unit = await run(['--selectProjects', 'unit', '--maxWorkers', '2']);
  return Math.max(live, service, unit);
}

const asked = process.argv.slice(2);
process.exitCode = asked.length > 0 ? await run(asked) : await all();
