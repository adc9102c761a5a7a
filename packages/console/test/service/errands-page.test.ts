/** The page of errands, in headless Chromium, on the demo project. */
import { afterAll, afterEach, beforeAll, expect, it } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { TypedTalk } from '@verbalon/client/node';
import { expectAccessible } from '../../../../testing/accessible.js';
import { Pages } from '../../../../testing/browser.js';
import { lightProject } from '../../../../testing/light-project.js';
import { startService, until, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
const pages = new Pages(() => service.address);
let project: string;
beforeAll(async () => {
  project = await lightProject({ standins: ['office', 'site'] });
  service = await startService(project);
});
afterEach(() => pages.close());
afterAll(() => pages.end());
afterAll(() => service.stop());

it('shows errands as dialogues, tries them without doing anything, and lists what came of them', async () => {
  const page = await pages.open([]);
  const talk = await TypedTalk.begin(service.address, 'tansy');
  await talk.says('what is the weather at Saddle Hut');
  talk.leave();
  await page.goto(`${service.address}/errands`);
  await page.getByRole('list', { name: 'How it goes' }).getByText('“At which hut?”').waitFor();
  for (const said of ['three bunks at Rowan Hut for Friday, no, four', 'under Miller', 'yes']) {
    await page.getByLabel('What a caller says').fill(said);
    await page.getByRole('button', { name: 'Say it' }).click();
    await page.getByText(`“${said}”`).waitFor();
  }
  const tried = page.getByRole('region', { name: 'Try it' });
  await tried.getByText(/^Four bunks at Rowan Hut, .* Shall I book that\?$/).waitFor();
  await tried.getByText('Now it would be done.').waitFor();
  await page
    .getByRole('region', { name: 'Outcomes' })
    .getByRole('cell', { name: 'weather', exact: true })
    .waitFor();
  await expectAccessible(page);
  await page.getByRole('button', { name: 'cancel a booking' }).click();
  await page.getByText('“What is the number of the booking?”').waitFor();
});

it('a sentence that is edited in the picture stands in the file, its remarks untouched, and is said from then on', async () => {
  const page = await pages.open([]);
  const file = () => readFileSync(join(project, 'errands/book-bunks.yaml'), 'utf8');
  const before = file();
  await page.goto(`${service.address}/errands`);
  await page.getByRole('button', { name: '“At which hut?”' }).click();
  await page.getByLabel('asks of book-bunks').fill('At which of the huts?');
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('button', { name: '“At which of the huts?”' }).waitFor();
  expect(file()).toContain('ask: At which of the huts?');
  expect(file().match(/#.*/g)).toEqual(before.match(/#.*/g));
  const tried = async () => (await service.http.tryErrand('book-bunks', ['book three bunks']))[0]!.says;
  await until(async () => (await tried()) === 'At which of the huts?');
});

it('messages are listed with how they stand, and one that waits is withdrawn; contacts beside them', async () => {
  const page = await pages.open([]);
  const talk = await TypedTalk.begin(service.address, 'tansy');
  for (const said of ['tell all wardens tomorrow at six that the bridge is closed', 'from Fisher', 'yes'])
    await talk.says(said);
  talk.leave();
  await page.goto(`${service.address}/errands`);
  const messages = page.getByRole('region', { name: 'Messages' });
  await messages.getByText('Pavel Orsk: waiting').waitFor();
  await messages.getByRole('button', { name: 'Withdraw' }).click();
  await messages.getByText('Pavel Orsk: withdrawn').waitFor();
  await page.getByRole('region', { name: 'Contacts' }).getByText('all wardens').waitFor();
  await expectAccessible(page);
});

it('an errand’s form on the talk page is written in, and what it wants shown is shown', async () => {
  const page = await pages.open([]);
  await page.goto(`${service.address}/?assistant=tansy`);
  await page.getByRole('button', { name: 'Type only' }).click();
  await page.getByRole('button', { name: 'Begin' }).click();
  const say = async (text: string) => {
    await page.getByLabel('Type what you want to say').fill(text);
    await page.keyboard.press('Enter');
  };
  await say('book three bunks at Rowan Hut');
  const form = page.getByRole('region', { name: 'Errand' });
  await form.getByRole('button', { name: 'write it' }).click();
  await form.getByLabel('Write night').fill('Friday');
  await page.keyboard.press('Enter');
  await form.getByText(/the \d+\w+ of/).waitFor();
  await say('show me Lantern Hut');
  const link = page
    .getByRole('region', { name: 'Shown' })
    .getByRole('link', { name: 'The page of Lantern Hut' });
  await link.waitFor();
  expect(await link.getAttribute('href')).toBe('https://tarnside.example/huts/Lantern%20Hut');
});
