import type { Page } from '@playwright/test';
import { expect, test } from './fixtures';
import { ownShot } from './shot-page';

const SIZES = [
  { width: 1920, height: 1080 },
  { width: 1280, height: 800 },
] as const;

/** What is cut off sideways, and whether the page itself scrolls. */
function faultsOf(page: Page): Promise<string[]> {
  return page.evaluate(() => {
    const found: string[] = [],
      root = document.documentElement;
    if (root.scrollWidth > root.clientWidth || root.scrollHeight > root.clientHeight) found.push('the page scrolls');
    for (const element of document.querySelectorAll<HTMLElement>('.side, .top-bar, .viewer-bar, .shots-body'))
      if (element.scrollWidth > element.clientWidth + 1)
        found.push(`${element.className} is cut off: ${element.scrollWidth} > ${element.clientWidth}`);
    return found;
  });
}

test('no view is cut off or scrolls as a whole, at either size, and none complains', async ({ page }) => {
  const errors: string[] = [];
  page.on('pageerror', (error) => errors.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error') errors.push(message.text());
  });
  const id = await ownShot(page, 'TC_010', { agreed: true });
  const steps = ['passes', 'motion', 'shutter', 'match', 'assemble', 'deliver'].map((step) => `/shots/${id}/${step}`);
  for (const address of ['/', ...steps, '/encodings', '/queue', '/people']) {
    await page.goto(address);
    await expect(page.locator('h1, h2').first()).toBeVisible();
    for (const size of SIZES) {
      await page.setViewportSize(size);
      // The layout follows in the next frames.
      await page.evaluate(() => new Promise((next) => requestAnimationFrame(() => requestAnimationFrame(next))));
      await expect.poll(() => faultsOf(page), { message: `${address} at ${size.width} x ${size.height}`, timeout: 5000 }).toEqual([]);
    }
  }
  expect(errors).toEqual([]);
});
