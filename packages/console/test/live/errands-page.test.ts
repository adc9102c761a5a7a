/** The page of errands, in headless Chromium, on the demo project. */
import { afterAll, afterEach, beforeAll, it } from '@jest/globals';
import { TypedTalk } from '@verbalon/client/node';
import { expectAccessible } from '../../../../testing/accessible.js';
import { Pages } from '../../../../testing/browser.js';
import { startService, type RunningService } from '../../../../testing/service.js';

let service: RunningService;
const pages = new Pages(() => service.address);
beforeAll(async () => (service = await startService()));
afterEach(() => pages.close());
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
