/** `npm run screenshots`: takes the pictures in docs/screenshots anew, from demo data. */
import { fork, spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { callWithRecording, TypedTalk } from '@verbalon/client/node';
import { readWav, Resampler, toPcm16 } from '@verbalon/core';
import { TestPhone } from '@verbalon/hostile';
import { chromium } from 'playwright-core';

const data = mkdtempSync(join(tmpdir(), 'verbalon-pictures-'));
const cli = 'packages/cli/bin/verbalon.mjs';
const browser = await chromium.launch(JSON.parse(readFileSync('testing/chromium.json', 'utf8')));

/** Everything that a program writes; `script` gives it a terminal of its own, of this size. */
async function run(command, { env = {}, inTerminal = false, stopAfterMs = null, pressAtMs = null } = {}) {
  const line = command.map((part) => `'${part}'`).join(' ');
  const child = inTerminal
    ? spawn('script', ['-qefc', `stty cols 112 rows 32; exec node ${line}`, '/dev/null'], {
        env: { ...process.env, ...env, CI: 'false', TERM: 'xterm-256color' },
      })
    : spawn('node', command, { env: { ...process.env, ...env } });
  let text = '';
  for (const stream of [child.stdout, child.stderr])
    stream.setEncoding('utf8').on('data', (part) => (text += part));
  const over = once(child, 'exit');
  if (pressAtMs !== null) setTimeout(() => child.stdin.write(' '), pressAtMs);
  if (stopAfterMs !== null) {
    await new Promise((done) => setTimeout(done, stopAfterMs));
    const drawn = text;
    child.stdin.write('\u0003');
    await over;
    return drawn;
  }
  await over;
  return text;
}

/** Text as a picture of a terminal. */
async function picture(name, text) {
  const safe = text.replaceAll('&', '&amp;').replaceAll('<', '&lt;');
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.setContent(
    `<body style="margin:0;background:#1d1814;color:#efe5d3"><pre style="margin:0;padding:24px;font:15px/1.4 'DejaVu Sans Mono',monospace;white-space:pre-wrap">${safe}</pre></body>`,
  );
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
  await page.close();
}

/** What commands print, one after the other, each after its line. */
async function terminal(name, commands, env = {}) {
  const shown = [];
  for (const [title, command] of commands) {
    const text = await run(command, { env });
    shown.push(
      `$ ${title}`,
      text
        .replaceAll(`${data}/`, '')
        .replace(/\/\S*\/\.verbalon/g, '.verbalon')
        .replace(/^\n+|\s+$/g, ''),
      '',
    );
  }
  await picture(name, shown.join('\n').split('\n').slice(0, 34).join('\n'));
}

/**
 * The last whole screen that a program has drawn: from such a line on, so many, of empty ones no more than
 * one in a row.
 */
async function lastScreen(command, options, begins, count) {
  const drawn = (await run(command, { ...options, inTerminal: true }))
    .replace(/\u001b\[[0-9;?]*[A-Za-z]/g, '')
    .replaceAll('\r', '');
  const lines = drawn.split('\n');
  const from = lines.findLastIndex((line) => begins.test(line));
  const shown = lines.slice(from, from + count);
  return shown.filter((line, i) => line.trim() !== '' || shown[i - 1]?.trim() !== '');
}

/** A talk on the whole screen, and on a box's two lines. */
async function screens(name, walker, env) {
  const whole = await lastScreen(
    [cli, 'talk', ...from(walker)],
    { env, stopAfterMs: 22_500 },
    /^[●◐◆◌] \S+ .*Tansy/,
    32,
  );
  // Its button is pressed: it hears nobody else.
  const box = await lastScreen(
    [cli, 'talk', '--device', ...from(walker)],
    { env, pressAtMs: 4_500, stopAfterMs: 11_500 },
    /^╭/,
    6,
  );
  await picture(name, ['$ verbalon talk', ...whole, '', '$ verbalon talk --device', ...box].join('\n'));
}

async function open(address, { theme = 'paper', size = [1280, 800] } = {}) {
  const context = await browser.newContext({
    viewport: { width: size[0], height: size[1] },
    colorScheme: theme === 'night' ? 'dark' : 'light',
  });
  const page = await context.newPage();
  await page.goto(address);
  const save = async (name) => {
    await page.screenshot({ path: `docs/screenshots/${name}.png` });
    await context.close();
  };
  return { page, save };
}

/** The button as it looks in each of its states, one after the other as they come. */
async function buttonStates(page) {
  const ask = page.locator('#ask');
  const seen = {};
  const when = async (state) => {
    await page.locator(`#ask[state=${state}]`).waitFor();
    await page.waitForTimeout(150);
    seen[state] = await ask.screenshot();
  };
  await page.evaluate(() => globalThis.document.getElementById('fill').stop());
  await when('off');
  // A page that takes its time, first to get a token, then to answer.
  await page.evaluate(() => {
    const ask = globalThis.document.getElementById('ask');
    ask.setAttribute('assistant', 'chat');
    ask.setAttribute('floor', 'once');
    ask.token = () =>
      new Promise((done) => setTimeout(done, 1_000)).then(async () => {
        const made = await fetch(`${new URL(globalThis.document.scripts[0].src).origin}/v1/tokens`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: '{"assistant":"chat"}',
        });
        return (await made.json()).token;
      });
    ask.chat = async ({ text }) => {
      await new Promise((done) => setTimeout(done, 1_500));
      return `You asked: ${text}. A bunk is twenty eight euros a night, and supper is sixteen.`;
    };
  });
  await ask.getByRole('button').first().click();
  await when('beginning');
  await when('listening');
  await page.evaluate(() => globalThis.document.getElementById('ask').say('what does a bunk cost'));
  await when('thinking');
  await when('answering');
  await when('resting');
  await page.evaluate(() => {
    const ask = globalThis.document.getElementById('ask');
    ask.stop();
    ask.setAttribute('assistant', 'porch');
    ask.token = null;
    ask.start();
  });
  await when('trouble');
  return seen;
}

/** One picture of a page, and small ones with their names beside it. */
async function picturesBeside(name, large, small) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const image = (bytes, style) =>
    `<img style="${style}" src="data:image/png;base64,${bytes.toString('base64')}">`;
  const all = Object.entries(small).map(
    ([state, bytes]) =>
      `<figure style="margin:0 0 8px"><figcaption>${state}</figcaption>${image(bytes, 'max-width:330px;zoom:0.8')}</figure>`,
  );
  await page.setContent(
    `<body style="margin:0;display:grid;grid-template-columns:900px 1fr;font:13px sans-serif;background:#fff">${image(large, 'width:900px')}<div style="padding:12px;border-left:1px solid #999">${all.join('')}</div></body>`,
  );
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
  await page.close();
}

async function talk(address, name, { walker, text, afterMs, ...look }) {
  const { page, save } = await open(address, look);
  await page.getByLabel('Recorded caller').selectOption(walker);
  await page.getByRole('button', { name: 'Let this caller talk' }).click();
  await page.getByRole('button', { name: 'Begin' }).click();
  await page.getByRole('list', { name: 'What was said' }).getByText(text).first().waitFor();
  await page.waitForTimeout(afterMs);
  await save(name);
}

/** What a screen in the room shows while somebody talks. */
async function captions(address, name) {
  let shown = null;
  const watch = async ({ conversation }) => {
    const link = await fetch(`${address}/v1/conversations/${conversation}/views`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: '{}',
    });
    shown = await open(`${address}${(await link.json()).page}?face`, { theme: 'night' });
    await shown.page.getByText('stone').first().waitFor();
    await shown.page.waitForTimeout(900);
    await shown.save(name);
  };
  let watching = null;
  await callWithRecording({
    address,
    recording: readFileSync('demo/recordings/miller-asks.wav'),
    onMessage: (message) => {
      if (message.kind === 'admitted') watching = watch(message);
    },
  });
  await watching;
}

/** Somebody rings, asks, holds the line for a moment, asks for a person, and hangs up. */
async function telephone(address) {
  const { address: at } = await (await fetch(`${address}/v1/phone`)).json();
  const phone = await TestPhone.open();
  phone.ring(at.replace('sip:', 'sip:100@'));
  const { channels, rateHz } = readWav(readFileSync('demo/recordings/miller-asks.wav'));
  await new Promise((done) => setTimeout(done, 500));
  phone.say(toPcm16(new Resampler(rateHz, 8_000).push(channels[0].slice(0, rateHz * 14))));
  await new Promise((done) => setTimeout(done, 14_000));
  for (const direction of ['sendonly', 'sendrecv']) {
    phone.request('INVITE', phone.sdp({ direction }));
    await new Promise((done) => setTimeout(done, 1_500));
  }
  phone.press('0');
  await new Promise((done) => setTimeout(done, 6_000));
  phone.press('2');
  const waiting = async () => (await (await fetch(`${address}/v1/waiting`)).json()).waiting.length;
  while ((await waiting()) === 0) await new Promise((done) => setTimeout(done, 200));
  const { page, save } = await open(address);
  await page.getByRole('button', { name: 'Take the call' }).waitFor();
  await save('person');
  phone.hangUp();
  await new Promise((done) => setTimeout(done, 300));
  phone.close();
}

const service = fork(cli, ['serve', '--port', '0', '--data', data], {
  stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
});
const [{ address, pids }] = await once(service, 'message');
while (!(await fetch(`${address}/readyz`)).ok) await new Promise((done) => setTimeout(done, 100));
const env = { VERBALON_URL: address };
const from = (walker) => ['--from', `demo/recordings/${walker}.wav`];

await talk(address, 'talk-interrupted', {
  walker: 'baker-interrupts',
  text: '(interrupted)',
  afterMs: 2_300,
});
await captions(address, 'captions');
await telephone(address);
await terminal(
  'phone',
  [
    ['verbalon phone', [cli, 'phone']],
    [
      'verbalon phone ring sip:warden@127.0.0.1:5066 "This is Tansy. …"',
      [cli, 'phone', 'ring', 'sip:warden@127.0.0.1:5066', 'This is Tansy.'],
    ],
  ],
  { VERBALON_URL: address },
);
// Miller books to the end, so that there is an outcome.
await run([cli, 'talk', '--plain', ...from('miller-books')], { env });
await screens('talk-screen', 'miller-asks', env);
const all = await (await fetch(`${address}/v1/conversations`)).json();
const shown = all.find(({ turns, ending }) => turns > 3 && ending === 'goodbye was said') ?? all[0];
const id = shown.id.slice(0, 8);
await terminal(
  'conversations-show',
  [
    ['verbalon conversations', [cli, 'conversations']],
    [`verbalon conversations show ${id}`, [cli, 'conversations', 'show', id]],
  ],
  env,
);

const stored = await open(`${address}/conversations/${shown.id}`);
await stored.page.getByRole('button', { name: 'Play from here' }).nth(1).click();
await stored.page.waitForTimeout(1_500);
await stored.save('conversation');
const whatIf = await open(`${address}/conversations/${shown.id}`);
await whatIf.page.getByText('Try other turn-taking settings').click();
await whatIf.page.getByLabel('Leeway in ms').fill('1200');
await whatIf.page.getByLabel('Head starts a turn').fill('0');
await whatIf.page.getByRole('button', { name: 'Try it' }).click();
await whatIf.page.getByText('As it would be').scrollIntoViewIfNeeded();
await whatIf.page.waitForTimeout(500);
await whatIf.save('what-if');
const tryout = await open(`${address}/tryouts`);
await tryout.page.getByLabel('What they are for').selectOption('tts');
for (const name of ['alder-voice', 'birch-voice', 'voice'])
  await tryout.page.getByLabel(new RegExp(`^${name}`)).check();
await tryout.page.getByRole('button', { name: 'Try them' }).click();
await tryout.page.getByText('not understood').waitFor();
await tryout.save('tryout');
await terminal(
  'engines-terminal',
  [
    ['verbalon engines', [cli, 'engines']],
    ['verbalon engines check', [cli, 'engines', 'check', 'cedar-ears', 'cedar-mind', 'cedar-voice', 'ears']],
  ],
  env,
);
const counter = join(data, 'counter');
await terminal(
  'new-terminal',
  [
    [
      'verbalon new counter --yes --title "The Counter"',
      [cli, 'new', counter, '--yes', '--title', 'The Counter'],
    ],
    ['verbalon check counter', [cli, 'check', counter]],
    ['verbalon check demo', [cli, 'check', 'demo']],
    ['verbalon languages', [cli, 'languages']],
  ],
  env,
);
const engines = await open(`${address}/engines`);
await engines.page.getByRole('button', { name: 'Transcribe' }).click();
await engines.page.getByTestId('transcript').waitFor();
await engines.page.getByRole('button', { name: 'Say it' }).click();
await engines.page.getByRole('button', { name: 'Ask', exact: true }).click();
await engines.page.getByTestId('answer').waitFor();
await engines.page.getByText('Same request with curl').last().click();
await engines.page.waitForTimeout(500);
await engines.save('engines-one-at-a-time');
const assistant = await open(`${address}/files/assistants/porch`);
await assistant.page.getByLabel('The file of porch').click();
await assistant.page.keyboard.press('Control+End');
await assistant.page.keyboard.type('re');
await assistant.page.getByRole('option').first().waitFor();
await assistant.page.waitForTimeout(800);
await assistant.save('files');
const telling = await TypedTalk.begin(address, 'tansy');
for (const said of [
  'tell the party at Lantern Hut that we will arrive after dark',
  'from Fisher',
  'yes',
  'tell all wardens tomorrow at six that the bridge is closed',
  'from Fisher',
  'yes',
])
  await telling.says(said);
telling.leave();
await terminal(
  'errands-terminal',
  [
    [
      'verbalon errands try book-bunks "three bunks at Rowan Hut for Friday, no, four" "under Miller"',
      [cli, 'errands', 'try', 'book-bunks', 'three bunks at Rowan Hut for Friday, no, four', 'under Miller'],
    ],
    ['verbalon errands outcomes', [cli, 'errands', 'outcomes']],
    ['verbalon messages', [cli, 'messages']],
  ],
  env,
);
const errands = await open(`${address}/errands`);
for (const said of ['three bunks at Rowan Hut for Friday, no, four', 'under Miller']) {
  await errands.page.getByLabel('What a caller says').fill(said);
  await errands.page.getByRole('button', { name: 'Say it' }).click();
  await errands.page.getByText(`“${said}”`).waitFor();
}
await errands.page.mouse.move(700, 300);
await errands.page.mouse.wheel(0, -5_000);
await errands.page.waitForTimeout(500);
await errands.save('errands');
const interfacePage = await open(`${address}/interface`);
await interfacePage.page.getByText('/v1/ask').first().click();
await interfacePage.page.waitForTimeout(300);
await interfacePage.save('interface');
const site = await open(`${pids.standins.site.address}/?service=${address}`, { size: [900, 800] });
// A microphone that hears nothing: what is said is typed.
await site.page.evaluate(() =>
  Object.defineProperty(navigator.mediaDevices, 'getUserMedia', {
    value: () => Promise.resolve(new globalThis.AudioContext().createMediaStreamDestination().stream),
  }),
);
await site.page.evaluate(() => {
  const voice = globalThis.document.getElementById('voice');
  voice.start().then(() => voice.say('what does a bunk cost'));
});
await site.page.locator('#voice').getByText('28 euros').waitFor();
await site.page.locator('#voice[state=listening]').waitFor();
const fill = site.page.locator('#fill');
await fill.getByRole('button').first().click();
await fill.getByRole('button', { name: 'More' }).click();
await fill
  .getByLabel('Type what you want to say')
  .fill('book three bunks at Rowan Hut on the twenty third of December under Miller');
await site.page.keyboard.press('Enter');
await site.page.locator('[name=hut][data-verbalon=ink]').waitFor();
await fill.getByText(/Shall I book that/).waitFor();
await site.page.waitForTimeout(500);
await fill.getByRole('button', { name: 'More' }).click();
const filled = await site.page.screenshot({ fullPage: true });
await picturesBeside('button', filled, await buttonStates(site.page));
// Last: from the first key on the service asks for one.
const access = await open(`${address}/access`);
for (const name of ['owner', 'the huts site']) {
  await access.page.getByLabel('Whose it is').fill(name);
  await access.page.getByRole('button', { name: 'Make the key' }).click();
  await access.page.getByRole('status').getByText(name).waitFor();
}
await access.page.getByText('the huts site: talk').waitFor();
// What is shown once is shown to nobody else.
await access.page.getByRole('button', { name: 'I have it' }).click();
await access.save('access');

service.kill('SIGTERM');
await once(service, 'exit');
await terminal('demo', [['npm run demo -- --exit', ['demo/dist/main.js', '--exit']]]);
await browser.close();
rmSync(data, { recursive: true, force: true });
