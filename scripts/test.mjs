/**
 * Runs the tests in lanes, as a machine with two cores can take them. First come the units, which only
 * compute, in two lanes. Then those that are live (real engines, a browser, a microphone) go one after the
 * other in a lane of their own, and before all others where there is too little computing time; all others,
 * which wait half of their time, fill two more lanes, those that took longest first, and the live one when it
 * is free. Arguments go to Jest, and then there is one run of it.
 */
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { setPriority } from 'node:os';
import { basename, join, relative } from 'node:path';
import startRun from '../testing/run-start.mjs';
import stopRun from '../testing/run-stop.mjs';

/** Whoever is not live gives way (nice(1)). */
const GIVES_WAY = 10;
/** A run that takes longer hangs, in ms. */
const LONGEST_RUN_MS = 900_000;
const JEST = ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js'];
/** How long each file took last, in s, where it was run before. */
const TIMES = '.setup/test-times.json';
/** So much of a file of tests takes about a second. */
const BYTES_A_SECOND = 300;

/** @returns the exit code, and all that it wrote where it is told to keep it */
async function jest(args, env = {}, keep = false, priority = 0) {
  const child = spawn(process.execPath, [...JEST, ...args], {
    env: { ...process.env, ...env },
    stdio: keep ? ['ignore', 'pipe', 'pipe'] : 'inherit',
  });
  // What it starts has the same.
  if (priority > 0) setPriority(child.pid, priority);
  let told = '';
  for (const stream of keep ? [child.stdout, child.stderr] : [])
    stream.setEncoding('utf8').on('data', (text) => (told += text));
  const timer = setTimeout(() => child.kill('SIGKILL'), LONGEST_RUN_MS);
  const [code] = await once(child, 'close');
  clearTimeout(timer);
  return { code: code ?? 1, told };
}

/** Files of tests of a project, by their folder: `test/PROJECT`. */
function filesOf(project, folder = '.') {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    if (entry.isDirectory())
      return entry.name === 'node_modules' || entry.name === 'dist' ? [] : filesOf(project, path);
    return path.includes(`test/${project}/`) && path.endsWith('.test.ts') ? [path] : [];
  });
}

function lastTimes() {
  try {
    return JSON.parse(readFileSync(TIMES, 'utf8'));
  } catch {
    return {};
  }
}

const isLive = (file) => file.includes('test/live/');

/** How long a file is likely to take, in s: by its length where it was never run here. */
const expectedS = (file, times) => times[file] ?? statSync(file).size / BYTES_A_SECOND;

/** Short files share a run of Jest, which takes a second to start: each run has about so much to do, in s. */
const LEAST_RUN_S = 30;

/** Runs of these files, in their order. */
function runsOf(files, times) {
  const runs = [];
  let lastS = Infinity;
  for (const file of files) {
    if (lastS >= LEAST_RUN_S) {
      runs.push([]);
      lastS = 0;
    }
    runs.at(-1).push(file);
    lastS += expectedS(file, times);
  }
  return runs;
}

/** A file of which something failed: where, and what Jest says of it. */
const toldOf = ({ name, message }) => `${relative(process.cwd(), name)}\n${message}`;

async function all() {
  await startRun();
  const times = lastTimes();
  const longestFirst = (files) => files.sort((a, b) => expectedS(b, times) - expectedS(a, times));
  const runs = (project) => runsOf(longestFirst(filesOf(project)), times);
  const live = runs('live');
  const others = runs('service');
  const sums = { files: 0, passed: 0, failed: 0 };
  const failures = [];
  let exitCode = 0;
  const run = async (args, lane) => {
    const report = join(process.env.VERBALON_TEST_RUN, `${basename(args.at(-1))}.report.json`);
    const { code, told } = await jest(
      [...args, '--runInBand', '--forceExit', '--json', '--outputFile', report],
      { VERBALON_TEST_LANE: lane },
      true,
      isLive(args[0]) ? 0 : GIVES_WAY,
    );
    exitCode = Math.max(exitCode, code);
    process.stdout.write(
      told.replace(/^(Test Suites|Tests|Snapshots|Time|Ran all|Force exiting|Test results).*\n?/gm, ''),
    );
    if (!existsSync(report)) {
      failures.push(`${args.at(-1)}: the run ended before its tests did`);
      return;
    }
    const { testResults, numPassedTests, numFailedTests } = JSON.parse(readFileSync(report, 'utf8'));
    sums.files += testResults.length;
    sums.passed += numPassedTests;
    sums.failed += numFailedTests;
    failures.push(...testResults.filter(({ status }) => status === 'failed').map(toldOf));
    for (const { name, startTime, endTime } of testResults)
      times[relative(process.cwd(), name)] = Math.round((endTime - startTime) / 1000);
  };
  const lane = async (name, own) => {
    for (let args = own.shift() ?? others.shift(); args; args = own.shift() ?? others.shift())
      await run(args, name);
  };
  const from = Date.now();
  await Promise.all(
    [1, 2].map((part) => run(['--selectProjects', 'unit', `--shard=${part}/2`], `units-${part}`)),
  );
  await Promise.all([lane('live', live), lane('others', []), lane('more', [])]);
  await stopRun();
  mkdirSync('.setup', { recursive: true });
  writeFileSync(TIMES, JSON.stringify(times, null, 1));
  // Once more, below all that has passed.
  for (const failure of failures) process.stdout.write(`\n${failure}\n`);
  const { files, passed, failed } = sums;
  process.stdout.write(
    `${files} files in ${Math.round((Date.now() - from) / 1000)} s\n${passed} passed, ${failed} failed\n`,
  );
  return exitCode;
}

const asked = process.argv.slice(2);
process.exitCode = asked.length > 0 ? (await jest(asked)).code : await all();
