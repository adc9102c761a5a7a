/** Keys at the console, in headless Chromium: from an open service to one that asks who it is. */
import { afterAll, afterEach, beforeAll, expect, it } from '@jest/globals';
import { expectAccessible } from '../../../../testing/accessible.js';
import { Pages } from '../../../../testing/browser.js';
import { lightProject } from '../../../../testing/light-project.js';
import { startService, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
const pages = new Pages(() => service.address);
beforeAll(async () => void (service = await startService(await lightProject())));
afterEach(() => pages.close());
afterAll(() => pages.end());
afterAll(() => service.stop());

it('the first key closes the service, and whoever made it goes on; others sign in, talk, and are shut out again', async () => {
  const page = await pages.open([]);
  page.on('dialog', (dialog) => void dialog.accept());
  await page.goto(`${service.address}/access`);
  await page.getByText('Everybody on this machine may do everything.').waitFor();
  const newKey = async (name: string) => {
    await page.getByLabel('Whose it is').fill(name);
    await page.getByRole('button', { name: 'Make the key' }).click();
    await page.getByRole('status').getByText(name).waitFor();
    return page.getByTestId('new-key').innerText();
  };
  await newKey('owner');
  await page.getByText(/Signed in as owner: talk, read, manage/).waitFor();
  const key = await newKey('guest');
  await page.getByRole('region', { name: 'Audit' }).getByText('owner: talk, read, manage').waitFor();
  await expectAccessible(page);

  const other = await pages.open([]);
  await other.goto(`${service.address}/?assistant=tansy`);
  await expectAccessible(other);
  await other.getByLabel('Key', { exact: true }).fill('verbalon-key-nonsense');
  await other.getByRole('button', { name: 'Sign in' }).click();
  await other.getByText('What was shown opens nothing').waitFor();
  await other.getByLabel('Key', { exact: true }).fill(key);
  await other.getByRole('button', { name: 'Sign in' }).click();
  await other.getByRole('button', { name: 'Type only' }).click();
  await other.getByRole('button', { name: 'Begin' }).click();
  await other.getByLabel('Type what you want to say').fill('is there supper at Lantern Hut');
  await other.keyboard.press('Enter');
  await other
    .getByText(/supper/i)
    .nth(1)
    .waitFor();
  // It is for talks alone.
  await other.goto(`${service.address}/conversations`);
  await other.getByText('The key is for something else').waitFor();

  await page.getByRole('button', { name: 'Revoke guest' }).click();
  await page.getByText(/^revoked /).waitFor();
  await other.goto(service.address);
  await other.getByRole('heading', { name: 'Sign in' }).waitFor();
  await page.getByRole('button', { name: 'Sign out' }).click();
  await page.getByRole('heading', { name: 'Sign in' }).waitFor();
  expect(await page.evaluate(() => document.cookie)).toBe('');
});
