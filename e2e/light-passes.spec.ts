import { expect, test } from './fixtures';
import { SAME, ShotPage } from './shot-page';

/** The glass float mirrors lanterns that move otherwise than it does; its file has them as a layer. */
test('a reflection is proposed, its motion estimated, and it is blurred apart, hidden, and left in the picture again', async ({ page }) => {
  test.setTimeout(400000);
  const shot = await ShotPage.open(page, 'TC_040', { only: /float\.100[6-9]/, step: 'assemble' });
  const stack = page.getByTestId('stack-card'),
    card = page.getByTestId('element-card');
  await shot.assembled();
  const sharp = await shot.pixels();

  await test.step('put in, it changes nothing until it has motion', async () => {
    await expect(page.getByTestId('proposal-card')).toContainText('reflection is a light pass of TC_040_float');
    await expect(page.getByTestId('proposal-card')).toContainText('can be estimated from its own frames');
    await page.getByRole('button', { name: 'Put it in' }).click();
    await expect(stack.locator('.stack-row.light')).toContainText('no motion yet');
    await expect(card).toContainText('Without motion of its own it stays in the picture of TC_040_float');
    await shot.assembled();
    expect(await shot.changeSince(sharp)).toBeLessThan(SAME / 10);
  });

  await test.step('its motion is estimated, and it is blurred', async () => {
    await card.getByRole('button', { name: 'Estimate it from its own frames' }).click();
    await expect(stack.locator('.stack-row.light')).toContainText('added', { timeout: 200000 });
    await expect(card).toContainText('blurred with its own motion, and added again');
    await shot.assembled();
    await expect(card.locator('tbody tr')).toContainText(/reflection/);
  });
  const lit = await shot.pixels();

  await test.step('hidden it is dark; taken out it is in the picture again', async () => {
    await stack.getByRole('button', { name: 'Hide reflection' }).click();
    await expect.poll(() => shot.changeSince(lit)).toBeGreaterThan(SAME / 4);
    await stack.getByRole('button', { name: 'Show reflection' }).click();
    await expect.poll(() => shot.changeSince(lit)).toBeLessThan(SAME / 10);
    await stack.getByRole('button', { name: 'Take reflection out' }).click();
    await expect(stack.locator('.stack-row.light')).toHaveCount(0);
    await expect.poll(() => shot.changeSince(sharp)).toBeLessThan(SAME / 10);
    await page.keyboard.press('Control+z');
    await expect(stack.locator('.stack-row.light')).toHaveCount(1);
  });

  await test.step('the steps can be about it', async () => {
    await stack.getByRole('button', { name: 'reflection', exact: true }).click();
    await shot.step('Shutter');
    await expect(page.getByText('reflection (light pass of TC_040_float)')).toBeVisible();
    await page.keyboard.press('w');
    await shot.exact();
  });
});
