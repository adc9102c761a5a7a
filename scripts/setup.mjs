/**
 * The one set-up step, run before `npm run demo`, `npm test` and `npm run bench`: Debian packages, npm
 * packages, build, recordings. It does what is missing and nothing else, says what it does, and can be run
 * again at any time. Plain JavaScript without packages: it runs before anything is installed.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { workspaceFolders } from './workspaces.mjs';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
process.chdir(root);
const purpose = process.argv[process.argv.indexOf('--for') + 1] ?? 'demo';
const stamps = '.setup';
const DEBIAN = ['postgresql', 'libpocketsphinx3', 'pocketsphinx-en-us', 'libflite1', 'espeak-ng', 'lame'];
const DEBIAN_FOR_TESTS = [
  'sctk',
  'chromium',
  'openssl',
  'pulseaudio',
  'pulseaudio-utils',
  'baresip',
  'sip-tester',
];
const started = Date.now();
let didSomething = false;

function say(text) {
  process.stdout.write(`${text}\n`);
}

function step(what, run) {
  const from = Date.now();
  didSomething = true;
  say(`· ${what} …`);
  run();
  say(`  done in ${((Date.now() - from) / 1000).toFixed(1)} s`);
}

function fail(what, remedy) {
  process.stderr.write(`\nset-up: ${what}\n→ ${remedy}\n`);
  process.exit(1);
}

function run(program, args, options = {}) {
  const result = spawnSync(program, args, { encoding: 'utf8', maxBuffer: 64 * 1024 * 1024, ...options });
  return { ok: result.status === 0, text: `${result.stdout ?? ''}${result.stderr ?? ''}` };
}

function debianPackages() {
  const wanted = purpose === 'test' ? [...DEBIAN, ...DEBIAN_FOR_TESTS] : DEBIAN;
  const asked = run('dpkg-query', ['-W', '-f', '${Package} ${db:Status-Status}\\n', ...wanted]).text;
  const missing = wanted.filter((name) => !asked.includes(`${name} installed`));
  if (missing.length === 0) return;
  const install = `apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  const prefix = process.getuid() === 0 ? [] : run('sudo', ['-n', 'true']).ok ? ['sudo', '-n'] : null;
  if (!prefix) fail(`these Debian packages are missing: ${missing.join(', ')}`, `type: sudo ${install}`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const apt = (args) =>
    run([...prefix, 'apt-get', ...args][0], [...prefix, 'apt-get', ...args].slice(1), { env });
  step(`installing Debian packages: ${missing.join(', ')}`, () => {
    apt(['update', '-qq']);
    const result = apt(['install', '-y', '-qq', '--no-install-recommends', ...missing]);
    if (!result.ok)
      fail(
        `apt-get did not install them:\n${result.text.slice(-800)}`,
        `type: sudo apt-get update && sudo ${install}`,
      );
  });
}

/** A fingerprint of files: names, sizes and times of change. */
function fingerprint(paths) {
  const hash = createHash('sha256');
  const visit = (path) => {
    const stat = statSync(path);
    if (!stat.isDirectory()) return void hash.update(`${path} ${stat.size} ${stat.mtimeMs}\n`);
    for (const name of readdirSync(path).sort())
      if (name !== 'node_modules' && name !== 'dist') visit(join(path, name));
  };
  for (const path of paths) if (existsSync(path)) visit(path);
  return hash.digest('hex');
}

function whenStale(name, inputs, outputs, what, act) {
  const stamp = join(stamps, name);
  const now = fingerprint(inputs);
  const fresh =
    existsSync(stamp) && readFileSync(stamp, 'utf8') === now && outputs.every((path) => existsSync(path));
  if (fresh) return;
  step(what, act);
  mkdirSync(stamps, { recursive: true });
  writeFileSync(stamp, fingerprint(inputs));
}

function must(program, args) {
  const result = run(program, args);
  if (!result.ok)
    fail(
      `"${program} ${args.join(' ')}" failed:\n${result.text.slice(0, 2000)}`,
      'fix what it names and try again',
    );
}

const sources = workspaceFolders().flatMap((folder) => [
  join(folder, 'src'),
  join(folder, 'tsconfig.json'),
  join(folder, 'package.json'),
]);
const inBrowsers = ['packages/client/src', 'packages/core/src', 'packages/protocol/src'];

debianPackages();
whenStale('npm', ['package-lock.json'], ['node_modules/koffi'], 'installing npm packages (npm ci)', () =>
  must('npm', ['ci']),
);
// Tests try the packages as others install them, with their types; nobody else waits for these.
const withTypes = purpose === 'test';
whenStale(
  withTypes ? 'types' : 'build',
  ['scripts/compile.mjs', 'tsconfig.base.json', ...sources],
  ['packages/cli/dist/main.js'],
  withTypes ? 'compiling, with types (tsc -b)' : 'compiling',
  () => (withTypes ? must('node_modules/.bin/tsc', ['-b']) : must('node', ['scripts/compile.mjs'])),
);
// Both at once: `wait` gives the exit code of the first, `&&` that of the second.
const bothPages =
  'npm run build -w @verbalon/console & first=$!; npm run build -w @verbalon/embed && wait $first';
whenStale(
  'pages',
  ['packages/console', 'packages/embed', ...inBrowsers],
  ['packages/console/dist/index.html', 'packages/embed/dist/embed.js'],
  'building the console and the button (vite)',
  () => must('sh', ['-c', bothPages]),
);
if (withTypes)
  whenStale(
    'types-of-the-button',
    ['packages/embed', ...inBrowsers],
    ['packages/embed/dist/types/index.d.ts'],
    'types of the button (tsc)',
    () => must('node_modules/.bin/tsc', ['-p', 'packages/embed']),
  );
whenStale(
  'recordings',
  ['demo/src'],
  ['demo/recordings/miller-asks.wav', 'demo/recordings/miller-changes.wav'],
  'recording the demo walkers with the local voices',
  () => must('node', ['demo/dist/record-walkers.js']),
);
/** The command `verbalon`, wherever its user types it: a link in a folder of the path, if they want it. */
function onPath() {
  if (process.platform === 'win32' || run('sh', ['-c', 'command -v verbalon']).ok) return;
  const program = join(root, 'packages/cli/bin/verbalon.mjs');
  const inPath = (process.env.PATH ?? '').split(':');
  const folder = [join(homedir(), '.local/bin'), '/usr/local/bin', join(homedir(), 'bin')].find(
    (one) => inPath.includes(one) && run('test', ['-w', one]).ok,
  );
  const byHand = `to type "verbalon" in any folder: npm link -w packages/cli (or: node ${program})`;
  if (!folder || !process.stdin.isTTY || !process.stdout.isTTY) return say(byHand);
  process.stdout.write(`Put the command "verbalon" into ${folder}? [Y/n] `);
  const answer = run('sh', ['-c', 'read answer </dev/tty; printf %s "$answer"'], {
    stdio: ['inherit', 'pipe', 'inherit'],
  }).text;
  if (/^n/i.test(answer)) return say(byHand);
  symlinkSync(program, join(folder, 'verbalon'));
  say(`verbalon is in ${folder} now`);
}

if (purpose === 'demo') onPath();
if (didSomething) say(`set up in ${((Date.now() - started) / 1000).toFixed(1)} s`);
