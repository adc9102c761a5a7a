/** Pages of the console in headless Chromium. */
import { readFileSync } from 'node:fs';
import { chromium, type Browser, type BrowserContext, type LaunchOptions, type Page } from 'playwright-core';

const { args: quiet = [], ...chromiumHere } = JSON.parse(
  readFileSync('testing/chromium.json', 'utf8'),
) as LaunchOptions;

export class Pages {
  /** One for each set of options: what is in the microphone's place is one. */
  private readonly browsers = new Map<string, Promise<Browser>>();
  private readonly contexts: BrowserContext[] = [];

  constructor(private readonly address: () => string) {}

  /** The console's first page, with nothing remembered from another one. */
  async open(args: string[]): Promise<Page> {
    const key = args.join(' ');
    const launched =
      this.browsers.get(key) ?? chromium.launch({ ...chromiumHere, args: [...quiet, ...args] });
    this.browsers.set(key, launched);
    const context = await (await launched).newContext({ viewport: { width: 1280, height: 800 } });
    this.contexts.push(context);
    const page = await context.newPage();
    await page.goto(this.address());
    return page;
  }

  /** A page that stays open goes on drawing and talking, and slows what comes after it. */
  async close(): Promise<void> {
    await Promise.all(this.contexts.splice(0).map((context) => context.close()));
  }

  async end(): Promise<void> {
    for (const browser of this.browsers.values()) await (await browser).close();
  }
}
