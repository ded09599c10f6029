import { readFileSync } from 'node:fs';
import path from 'node:path';
import type { Page } from '@playwright/test';
import { expect, test } from './fixtures';
import { expectNothingCutOff } from './layout';
import { ShotPage } from './shot-page';

const SHOTS = path.join(import.meta.dirname, '../docs/screenshots');

/** The picture of a view, in which nothing is cut off. */
async function look(page: Page, name: string): Promise<void> {
  await expectNothingCutOff(page, name);
  await page.waitForTimeout(1500);
  await page.screenshot({ path: path.join(SHOTS, `${name}.png`), animations: 'disabled' });
}

/** The demo's own shot, from its card. */
async function openDemo(page: Page, name: string): Promise<ShotPage> {
  await page.goto('/');
  await page.locator('.shot-card', { hasText: name }).click();
  const shot = new ShotPage(page);
  await shot.loaded();
  return shot;
}

test('every view at 1280 x 800 and at 1920 x 1080', async ({ page }) => {
  test.setTimeout(900000);
  const errors: string[] = [];
  page.on('pageerror', (error) => errors.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error') errors.push(message.text());
  });
  await page.goto('/');
  // One of each of the demo's shots.
  await expect(page.locator('.shot-card canvas[data-drawn]')).toHaveCount(5, { timeout: 120000 });
  await page.waitForLoadState('networkidle');
  await look(page, 'shots');
  const wheels = await openDemo(page, 'TC_020');
  await wheels.step('Passes');
  await expect(page.getByTestId('contact-sheet').locator('canvas[data-drawn]')).toHaveCount(8);
  await expect(page.locator('.pass-row canvas[data-drawn]')).toHaveCount(8);
  await look(page, 'passes');
  await page.getByLabel('Show wheel_objects').click();
  await page.getByTestId('objects-card').getByRole('button', { name: 'escape wheel' }).click();
  await page.getByTestId('objects-card').scrollIntoViewIfNeeded();
  await expect(page.getByTestId('viewer-note')).toContainText('4 ranks');
  await look(page, 'objects');
  await page.getByLabel('Show TC_020_depth').click();
  await page.getByTestId('depth-card').scrollIntoViewIfNeeded();
  await expect(page.getByTestId('depth-words')).toContainText('Detected');
  await look(page, 'depth');
  await page.getByLabel('Show TC_020_beauty').click();
  await page.getByTestId('picture-card').scrollIntoViewIfNeeded();
  await expect(wheels.picture).toHaveAttribute('data-shows', /^pass/);
  await expect(page.locator('.alpha-choices canvas[data-drawn]')).toHaveCount(5);
  await page.locator('.ranges').scrollIntoViewIfNeeded();
  await look(page, 'reading');
  await wheels.step('Motion');
  await page.getByRole('button', { name: 'Look at the proof' }).click({ timeout: 120000 });
  await expect(page.getByTestId('viewer-note')).toContainText('fetched back along the vectors');
  await look(page, 'proof');
  const float = await openDemo(page, 'TC_040');
  await float.step('Motion');
  await expect(page.getByTestId('motion-trial')).toContainText('instead of', { timeout: 120000 });
  await look(page, 'make-motion');
  const known = (await (await page.request.get('/api/encodings')).json()) as { name: string }[];
  for (const file of ['heron.json', 'wheel-room.json']) {
    const document = JSON.parse(readFileSync(path.join(import.meta.dirname, '../packages/demo/encodings', file), 'utf8')) as {
      name: string;
    };
    if (!known.some((k) => k.name === document.name))
      await page.request.post('/api/encodings', { data: { name: document.name, document } });
  }
  await page.goto('/encodings');
  await expect(page.locator('.ant-table-row', { hasText: 'wheel room' })).toContainText('power curve 2.2');
  await look(page, 'encodings');
  await page.goto('/people');
  await expect(page.getByTestId('changes').locator('.ant-table-row').first()).toBeVisible();
  await look(page, 'people');
  const shot = await openDemo(page, 'TC_010');
  await shot.agreeOnReading();
  await expect(page.getByText(/top bar \d/)).toBeVisible({ timeout: 120000 });
  await expect(page.getByTestId('audit-card')).toContainText('decides the range');
  await look(page, 'motion');
  await shot.step('Shutter');
  await page.keyboard.press('w');
  await page.locator('.ant-select', { has: page.getByLabel('What lies under alpha') }).click();
  await page.locator('.ant-select-item-option', { hasText: 'Plate' }).click();
  await shot.exact();
  await expect(page.getByTestId('blur-report')).toContainText('6, told apart by ids');
  // Every frame has its figures in the strip.
  await expect(page.locator('.strip svg title', { hasText: 'longest vector' })).toHaveCount(24, { timeout: 120000 });
  await look(page, 'shutter');
  await page.getByTestId('looks-card').getByText('Layers', { exact: true }).click();
  await page.getByTestId('looks-card').getByRole('button', { name: 'Paths' }).click();
  await expect(page.getByTestId('viewer-note')).toContainText('layers, a colour each');
  await look(page, 'made-from');
  await page.getByTestId('looks-card').getByRole('button', { name: 'Paths' }).click();
  await shot.step('Match');
  await page.getByRole('combobox', { name: 'Reference', exact: true }).click();
  await page.locator('.ant-select-dropdown:visible .ant-select-item-option', { hasText: 'TC_010_heron_ref' }).click();
  await page.getByRole('button', { name: 'Find it' }).click();
  await expect(page.getByTestId('fit-angle')).toContainText(/^14\d/, { timeout: 120000 });
  await page.getByTestId('fit-result').getByRole('button', { name: 'Take it' }).click();
  await expect(shot.picture).toHaveAttribute('data-shows', 'compare:wipe:ready:ready', { timeout: 60000 });
  await expect(page.getByTestId('figures')).toHaveAttribute('aria-busy', 'false', { timeout: 30000 });
  await page.locator('h2', { hasText: 'Match' }).click();
  await look(page, 'match');
  await page.getByTestId('trust-card').getByRole('button', { name: 'Show' }).click();
  await expect(page.getByTestId('verdict')).toBeVisible({ timeout: 60000 });
  await expect(page.getByTestId('viewer-note')).toContainText('likely to be off');
  await page.getByTestId('trust-card').scrollIntoViewIfNeeded();
  await look(page, 'trust');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await shot.step('Assemble');
  await page.getByRole('button', { name: 'Put them in' }).click();
  await expect(page.getByTestId('stack-card').locator('.stack .name')).toHaveCount(3);
  await shot.assembled();
  await expect(page.getByTestId('element-card').locator('tbody tr')).toHaveCount(2);
  await look(page, 'assemble');
  const contrast = page.getByTestId('grade-card').getByRole('spinbutton', { name: 'Contrast' });
  await contrast.fill('1.6');
  await contrast.press('Enter');
  await expect(page.getByTestId('streak-plot')).toContainText('Graded before the blur');
  await page.getByTestId('streak-plot').scrollIntoViewIfNeeded();
  await shot.assembled();
  await look(page, 'colour');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await shot.step('Deliver');
  await expect(page.getByRole('button', { name: 'Render the sequence' })).toBeVisible();
  await expect(page.getByTestId('delivery-plan')).toContainText('24 frames');
  await look(page, 'deliver');
  // Something in the queue, of which nothing has to be waited for.
  const id = /shots\/([^/]+)/.exec(page.url())?.[1] ?? '';
  const order = { name: 'TC_010_blurred', firstFrame: 1003, lastFrame: 1010 };
  const made = (await (await page.request.post(`/api/shots/${id}/deliveries`, { data: order })).json()) as { id: string };
  await page.goto('/queue');
  await expect(page.getByTestId('workers')).toContainText('frame 10', { timeout: 120000 });
  await look(page, 'queue');
  await page.request.post(`/api/deliveries/${made.id}/cancel`, { data: {} });
  expect(errors).toEqual([]);
});
