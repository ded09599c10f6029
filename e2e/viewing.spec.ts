import type { Route } from '@playwright/test';
import { expect, test } from './fixtures';
import { HERON, SAME, ShotPage } from './shot-page';

test('the view is adjusted, marked, and brought back, and what lies under alpha is chosen', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010', { only: HERON });
  await page.keyboard.press('s');
  await expect(shot.picture).toHaveAttribute('data-shows', /^sharp/);
  const plain = await shot.pixels();
  const note = page.getByTestId('viewer-note');
  await expect(note).toHaveCount(0);

  await page.locator('.picture').hover();
  await page.keyboard.press('+');
  await page.keyboard.press('+');
  await expect(note).toContainText('view adjusted: not the picture as it is');
  await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(SAME);
  await page.getByRole('button', { name: 'View back to neutral' }).click();
  await expect(note).toHaveCount(0);
  await expect.poll(() => shot.changeSince(plain)).toBeLessThan(SAME);

  const choose = async (label: string, option: string) => {
    await page.locator('.ant-select', { has: page.getByLabel(label) }).click();
    await page.locator('.ant-select-dropdown:visible .ant-select-item-option', { hasText: option }).click();
  };
  await choose('Channel', 'Alpha');
  await expect(note).toContainText('view adjusted');
  await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(SAME);
  await choose('Channel', 'Colour');
  for (const under of ['Black', 'Grey', 'Plate']) {
    await choose('What lies under alpha', under);
    await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(SAME);
  }
  await expect(note).toHaveCount(0);
  await choose('What lies under alpha', 'Checker');
  await expect.poll(() => shot.changeSince(plain)).toBeLessThan(SAME);
});

test('changing step keeps frame, zoom and pins', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010', { agreed: true, only: HERON, step: 'motion' });
  const box = await shot.picture.boundingBox();
  if (box === null) throw new Error('the picture has no place');
  await page.mouse.move(box.x + box.width * 0.5, box.y + box.height * 0.44);
  await page.mouse.wheel(0, -500);
  await page.keyboard.press('p');
  await page.keyboard.press('ArrowRight');
  const frame = await page.getByTestId('frame-number').innerText();
  await expect(page.getByRole('button', { name: 'Remove pin 1' })).toBeVisible();
  const pin = await page.getByTestId('probes').locator('.probe').first().innerText();
  for (const step of ['Deliver', 'Passes', 'Motion'] as const) {
    await shot.step(step);
    await expect(page.getByTestId('frame-number')).toHaveText(frame);
    expect((await page.getByTestId('probes').locator('.probe').first().innerText()).slice(0, 12)).toBe(pin.slice(0, 12));
  }
  await page.getByRole('button', { name: 'Remove pin 1' }).click();
  await expect(page.getByRole('button', { name: 'Remove pin 1' })).toHaveCount(0);
});

test('a reading is kept under a name and used again', async ({ page }) => {
  await ShotPage.open(page, 'TC_010', { agreed: true, only: HERON, step: 'motion' });
  const name = `Marsh renderer ${Date.now()}`;
  await page.getByLabel('Name for this reading').fill(name);
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByText(`Kept as ${name}.`)).toBeVisible();
  await page.getByText('y up', { exact: true }).click();
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toBeEnabled();
  await page.locator('.ant-select', { has: page.getByLabel('Use a kept reading') }).click();
  await page.locator('.ant-select-dropdown:visible .ant-select-item-option', { hasText: name }).click();
  await expect(page.locator('.ant-segmented-item-selected', { hasText: 'y down' })).toBeVisible();
});

test('a change in another window is not written over', async ({ page, context }) => {
  await ShotPage.open(page, 'TC_010', { agreed: true, only: HERON, step: 'shutter' });
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(other.getByRole('button', { name: '270 centred' })).toBeVisible();
  // The other window does not hear of the change before it makes its own.
  const hold = (route: Route) => (route.request().method() === 'GET' ? new Promise<void>(() => undefined) : route.continue());
  await other.route(/\/api\/shots\/[^/]+$/, hold);
  // The page shows a change before the server has it: only a change that is kept can be conflicted with.
  const kept = page.waitForResponse((response) => response.request().method() === 'PUT' && response.ok());
  await page.getByRole('button', { name: '144 centred' }).click();
  await kept;
  await expect(page.getByLabel('Angle', { exact: true })).toHaveValue('144');
  await other.getByRole('button', { name: '270 centred' }).click();
  await expect(other.getByText('changed in another window')).toBeVisible();
  await other.unroute(/\/api\/shots\/[^/]+$/, hold);
  await other.reload();
  await expect(other.getByLabel('Angle', { exact: true })).toHaveValue('144');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(page.getByLabel('Angle', { exact: true })).not.toHaveValue('144');
});
