import { chromium } from 'playwright-core';
const QUIET = [
  '--no-sandbox',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--no-first-run',
  '--disable-quic',
];
const A = 'http://127.0.0.1:7464';
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: QUIET });
const want = process.argv.slice(2);
const ctx = await browser.newContext({ viewport: { width: 1280, height: 800 } });
const page = await ctx.newPage();
page.on('console', (m) => m.type() === 'error' && console.log('console:', m.text()));
page.on('pageerror', (e) => console.log('pageerror', e.message));
const shot = (n) => page.screenshot({ path: `/tmp/shots/${n}.png` });
if (want.includes('told')) {
  await page.goto(A);
  await page.getByRole('button', { name: 'Type only' }).click();
  await page.waitForTimeout(400);
  await shot('told');
}
if (want.includes('conv')) {
  await page.goto(A + '/conversations');
  await page.waitForTimeout(800);
  await shot('conversations');
  await page
    .locator('tbody a')
    .nth(Number(process.env.NTH ?? 0))
    .click();
  await page.waitForTimeout(1200);
  await page.locator('svg[role=img]').click({ position: { x: 900, y: 40 } });
  await page.waitForTimeout(600);
  await shot('conversation');
}
if (want.includes('eng')) {
  await page.goto(A + '/engines');
  await page.waitForTimeout(800);
  await page.getByRole('button', { name: 'Transcribe' }).click();
  await page.getByTestId('transcript').waitFor({ timeout: 30000 });
  await page.getByRole('button', { name: 'Say it' }).click();
  await page.getByRole('button', { name: 'Ask', exact: true }).click();
  await page.getByTestId('answer').waitFor();
  await page.waitForTimeout(600);
  await shot('engines');
}
if (want.includes('ass')) {
  await page.goto(A + '/assistants');
  await page.waitForTimeout(1500);
  await page.locator('.cm-content').click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type('\nvoic');
  await page.waitForTimeout(900);
  await shot('assistants');
}
if (want.includes('int')) {
  await page.goto(A + '/interface');
  await page.waitForTimeout(1000);
  await page.locator('details').nth(7).click();
  await page.waitForTimeout(300);
  await shot('interface');
}
if (want.includes('press')) {
  await page.goto(A + '/?assistant=porch');
  await page.getByRole('button', { name: 'Type only' }).click();
  await page.getByRole('button', { name: 'Begin' }).click();
  await page.waitForTimeout(4000);
  await page.keyboard.down(' ');
  await page.waitForTimeout(700);
  await shot('press');
  await page.keyboard.up(' ');
  await page.waitForTimeout(1200);
  await shot('press2');
}
if (want.includes('check')) {
  await page.goto(A);
  await page.getByRole('button', { name: 'Sound check' }).click();
  await page.waitForTimeout(500);
  await shot('check');
}
if (want.includes('phone')) {
  const c = await browser.newContext({ viewport: { width: 390, height: 844 } });
  const p = await c.newPage();
  await p.goto(A);
  await p.waitForTimeout(800);
  await p.screenshot({ path: '/tmp/shots/phone.png' });
  await p.goto(A + '/engines');
  await p.waitForTimeout(800);
  await p.screenshot({ path: '/tmp/shots/phone-eng.png' });
}
await browser.close();
