import { expect, test } from './fixtures';
import { expectNothingCutOff } from './layout';
import { ownShot } from './shot-page';

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
    await expectNothingCutOff(page, address);
  }
  expect(errors).toEqual([]);
});
