/** Is a page fit for everybody? */
import { expect } from '@jest/globals';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { root } from './service.js';

/** Nothing serious, as axe-core sees it (WCAG 2.2 AA). */
export async function expectAccessible(page: Page): Promise<void> {
  // Not as a script of the page: its own policy forbids those from elsewhere.
  await page.evaluate(readFileSync(join(root, 'node_modules/axe-core/axe.min.js'), 'utf8'));
  const found = await page.evaluate(async () => {
    const { axe } = globalThis as unknown as {
      axe: {
        run(
          options: object,
        ): Promise<{ violations: { id: string; impact: string; nodes: { target: string[] }[] }[] }>;
      };
    };
    const { violations } = await axe.run({
      runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'],
    });
    return violations.map(
      ({ id, impact, nodes }) => `${impact} ${id}: ${nodes.map(({ target }) => target.join(' ')).join(', ')}`,
    );
  });
  expect(found).toEqual([]);
}
