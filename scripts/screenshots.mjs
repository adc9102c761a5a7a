/** `npm run screenshots`: takes the pictures in docs/screenshots anew, from demo data. */
import { fork, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';

const QUIET = ['--no-sandbox', '--disable-background-networking', '--disable-component-update', '--disable-sync', '--no-first-run', '--disable-quic']; // prettier-ignore
const data = mkdtempSync(join(tmpdir(), 'verbalon-pictures-'));
const cli = 'packages/cli/bin/verbalon.mjs';
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: QUIET });

/** What a command prints, as a picture of a terminal. */
async function terminal(name, title, command, env = {}) {
  const child = spawn('node', command, { env: { ...process.env, ...env } });
  let text = '';
  child.stdout.setEncoding('utf8').on('data', (part) => (text += part));
  await once(child, 'exit');
  const shown = text
    .replace(/\/\S*\/\.verbalon/g, '.verbalon')
    .trim()
    .split('\n')
    .slice(0, 34)
    .join('\n');
  const safe = `$ ${title}\n${shown}`.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.setContent(
    `<body style="margin:0;background:#1d1814;color:#efe5d3"><pre style="margin:0;padding:24px;font:15px/1.4 'DejaVu Sans Mono',monospace;white-space:pre-wrap">${safe}</pre></body>`,
  );
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
  await page.close();
}

async function console_(address, name, { walker, text, afterMs, theme = 'paper', size = [1280, 800] }) {
  const context = await browser.newContext({
    viewport: { width: size[0], height: size[1] },
    colorScheme: theme === 'night' ? 'dark' : 'light',
  });
  const page = await context.newPage();
  await page.goto(address);
  await page.getByLabel('Recorded walker').selectOption(walker);
  await page.getByRole('button', { name: 'Let this walker talk' }).click();
  await page.getByRole('list', { name: 'What was said' }).getByText(text).first().waitFor();
  await page.waitForTimeout(afterMs);
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
  await context.close();
}

const service = fork(cli, ['serve', '--port', '0', '--data', data], {
  stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
});
const [{ address }] = await once(service, 'message');
while (!(await fetch(`${address}/readyz`)).ok) await new Promise((done) => setTimeout(done, 100));

await console_(address, 'talk', { walker: 'miller-asks', text: /loose stone/, afterMs: 1_500 });
await console_(address, 'talk-interrupted', {
  walker: 'baker-interrupts',
  text: '(interrupted)',
  afterMs: 2_300,
});
await console_(address, 'talk-night', {
  walker: 'fisher-hesitates',
  text: /room for three/,
  afterMs: 500,
  theme: 'night',
});
await console_(address, 'talk-narrow', {
  walker: 'miller-asks',
  text: /loose stone/,
  afterMs: 3_500,
  size: [390, 800],
});
const env = { VERBALON_URL: address };
const from = (walker) => ['--from', `demo/recordings/${walker}.wav`];
await terminal('talk-terminal', 'npx verbalon talk tansy --from demo/recordings/baker-interrupts.wav', [cli, 'talk', 'tansy', ...from('baker-interrupts')], env); // prettier-ignore
await terminal('listen', 'npx verbalon listen --from demo/recordings/carter-in-the-wind.wav', [cli, 'listen', ...from('carter-in-the-wind')], env); // prettier-ignore
service.kill('SIGTERM');
await once(service, 'exit');
await terminal('demo', 'npm run demo -- --exit', ['demo/dist/main.js', '--exit']);
await browser.close();
rmSync(data, { recursive: true, force: true });
