/** Pages of the console in headless Chromium. */
import { readFileSync } from 'node:fs';
import { chromium, type Browser, type LaunchOptions, type Page } from 'playwright-core';

const { args: quiet = [], ...chromiumHere } = JSON.parse(readFileSync('testing/chromium.json', 'utf8')) as LaunchOptions; // prettier-ignore

export class Pages {
  private readonly browsers: Browser[] = [];

  constructor(private readonly address: () => string) {}

  /** The console's first page, in a browser of its own. */
  async open(args: string[]): Promise<Page> {
    const browser = await chromium.launch({ ...chromiumHere, args: [...quiet, ...args] });
    this.browsers.push(browser);
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(this.address());
    return page;
  }

  /** A page that stays open goes on drawing and talking, and slows what comes after it. */
  async close(): Promise<void> {
    await Promise.all(this.browsers.splice(0).map((browser) => browser.close()));
  }
}
