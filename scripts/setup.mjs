/**
 * The one set-up step, run before `npm run demo`, `npm test` and `npm run bench`: Debian packages, npm packages, build,
 * recordings. It does what is missing and nothing else, says what it does, and can be run again at any time.
 * Plain JavaScript without packages: it runs before anything is installed.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

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

const workspaces = ['packages', 'standins', 'demo', 'bench', 'testing/hostile'];
const folders = workspaces.flatMap((name) =>
  name === 'packages' ? readdirSync(name).map((one) => join(name, one)) : [name],
);
const sources = folders.flatMap((folder) => [
  join(folder, 'src'),
  join(folder, 'tsconfig.json'),
  join(folder, 'package.json'),
]);
const inBrowsers = ['packages/client/src', 'packages/core/src', 'packages/protocol/src'];

debianPackages();
whenStale('npm', ['package-lock.json'], ['node_modules/koffi'], 'installing npm packages (npm ci)', () =>
  must('npm', ['ci']),
);
whenStale(
  'build',
  ['tsconfig.base.json', 'tsconfig.json', ...sources],
  ['packages/cli/dist/main.js'],
  'building (tsc -b)',
  () => must('node_modules/.bin/tsc', ['-b']),
);
whenStale(
  'console',
  ['packages/console', ...inBrowsers],
  ['packages/console/dist/index.html'],
  'building the console (vite)',
  () => must('npm', ['run', 'build', '-w', '@verbalon/console']),
);
whenStale(
  'embed',
  ['packages/embed', ...inBrowsers],
  ['packages/embed/dist/embed.js'],
  'building the button (vite)',
  () => must('npm', ['run', 'build', '-w', '@verbalon/embed']),
);
whenStale(
  'recordings',
  ['demo/src'],
  ['demo/recordings/miller-asks.wav', 'demo/recordings/miller-changes.wav'],
  'recording the demo walkers with the local voices',
  () => must('node', ['demo/dist/record-walkers.js']),
);
if (didSomething) say(`set up in ${((Date.now() - started) / 1000).toFixed(1)} s`);
