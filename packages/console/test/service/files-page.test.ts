/** The page of the project's files, in headless Chromium. */
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import { expectAccessible } from '../../../../testing/accessible.js';
import { Pages } from '../../../../testing/browser.js';
import { lightProject } from '../../../../testing/light-project.js';
import { startService, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
const pages = new Pages(() => service.address);
const open = (args: string[]) => pages.open(args);
beforeAll(
  async () => (service = await startService(await lightProject({ assistants: { tansy: null, echo: null } }))),
);
afterEach(() => pages.close());
afterAll(() => pages.end());
afterAll(() => service.stop());

describe('the Files page', () => {
  it('edit an assistant: completion, errors in place, and an answer at once', async () => {
    const page = await open([]);
    await page.goto(`${service.address}/files/assistants/echo`);
    const editor = page.getByLabel('The file of echo');
    await editor.click();
    await page.keyboard.press('Control+End');
    await page.keyboard.type('writ');
    await page.getByRole('option', { name: /written/ }).click();
    await page.keyboard.type('maybe');
    await page
      .getByRole('status')
      .getByText(/^Line \d+: "written" must be true or false/)
      .waitFor();
    await page.locator('.cm-lintRange-error').waitFor();
    expect(await page.getByRole('button', { name: 'Save' }).isDisabled()).toBe(true);
    await page.getByLabel('Ask echo').fill('Anybody there?');
    await page.keyboard.press('Enter');
    await page.getByText('Anybody there?', { exact: false }).last().waitFor();
    await expectAccessible(page);
  });

  it('begin a file from a shape, complete a card, and take the file away again', async () => {
    const page = await open([]);
    await page.goto(`${service.address}/files/engines/new`);
    await page.getByRole('textbox', { name: 'Name' }).fill('mine');
    await page.getByLabel('Begins as').selectOption('ears-file');
    await page.getByText('A request a segment').waitFor();
    await page.getByRole('button', { name: 'Make it' }).click();
    const editor = page.getByLabel('The file of mine');
    await editor.click();
    await page.keyboard.press('Control+End');
    await page.keyboard.type('ret');
    await page.getByRole('option', { name: /retries/ }).click();
    await page.keyboard.type('9');
    await page
      .getByRole('status')
      .getByText(/^Line \d+: "retries" must be <= 5/)
      .waitFor();
    await page.keyboard.press('Backspace');
    await page.keyboard.type('2');
    await page.getByRole('button', { name: 'Save' }).click();
    await page.getByText('Saved, and in use.').waitFor();
    await page.getByText('no assistant names it').first().waitFor();
    await expectAccessible(page);
    await page.getByRole('button', { name: 'Rename or remove' }).click();
    await page.getByRole('button', { name: /Remove/ }).click();
    await page.getByRole('link', { name: 'mine' }).waitFor({ state: 'detached' });
  });

  it('change project.yaml, and begin a lexicon', async () => {
    const page = await open([]);
    await page.goto(`${service.address}/files/project`);
    await page.getByLabel('project.yaml').click();
    await page.keyboard.press('Control+End');
    await page.keyboard.type('secrets: [lower]');
    await page
      .getByRole('status')
      .getByText(/^Line \d+: "secrets\.0"/)
      .waitFor();
    expect(await page.getByRole('button', { name: 'Save' }).isDisabled()).toBe(true);
    expect(await page.getByRole('button', { name: 'Rename or remove' }).count()).toBe(0);
    await page.goto(`${service.address}/files/lexicons/new`);
    await page.getByRole('textbox', { name: 'Name' }).fill('names');
    await page.getByRole('button', { name: 'Make it' }).click();
    await page.getByLabel('The file of names').getByText('M AA R AH N').waitFor();
    await page.getByText('Saved, and in use.').waitFor();
    await expectAccessible(page);
  });
});
