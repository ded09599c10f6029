import { readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect, test } from './fixtures';
import { ShotPage } from './shot-page';

/** The glass float has depth and a camera in its headers, and no motion pass. */
test('a shot without motion gets it from its camera: tried, made, proven, blurred', async ({ page }) => {
  test.setTimeout(400000);
  const shot = await ShotPage.open(page, 'TC_040', { only: /float/, step: 'motion' });
  const card = page.getByTestId('make-motion'),
    trial = page.getByTestId('motion-trial');

  await test.step('what the headers hold is proposed, and tried on the frame on screen', async () => {
    await expect(page.getByText('No pass is marked as motion')).toBeVisible();
    await expect(card).toContainText('in the headers of TC_040_float');
    await expect(trial).toContainText('Depth is read along the view axis', { timeout: 120000 });
    const figures = /differ by ([\d.]+) instead of (\d\.\d+)/.exec((await trial.textContent()) ?? '');
    expect(Number(figures?.[1])).toBeLessThan(Number(figures?.[2]) / 2);
  });

  await test.step('the pictures alone can be asked too', async () => {
    await card.getByText('Pictures', { exact: true }).click();
    await expect(trial).toContainText(/\d+ % of the vectors were found both ways/, { timeout: 120000 });
    await card.getByText('Camera', { exact: true }).click();
  });

  await test.step('a camera file that is none is refused in a sentence, and the camera stays', async () => {
    const bad = path.join(tmpdir(), 'ivrex-truck.csv');
    writeFileSync(bad, 'frame,x\n1001,left\n');
    await card.locator('input[type=file]').setInputFiles(bad);
    await expect(card.getByRole('alert')).toContainText('line 2');
    await expect(card).toContainText('in the headers of TC_040_float');
  });

  await test.step('made for all frames it is the motion of the shot', async () => {
    await card.getByRole('button', { name: 'Make it for all frames' }).click();
    await expect(page.getByTestId('reading-words')).toContainText('Raw pixels, to next and previous', { timeout: 120000 });
    await expect(page.getByTestId('reading-card')).toContainText('This is the reading that is used');
    await expect(page.getByTestId('reading-card')).toContainText(/sure, (8[5-9]|9\d) %/, { timeout: 120000 });
  });

  await test.step('it is a pass like any other: seen, blurred, and taken back', async () => {
    await shot.step('Passes');
    await expect(page.getByText('motion_from_camera').first()).toBeVisible();
    await shot.step('Shutter');
    await page.keyboard.press('w');
    await shot.exact();
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await shot.step('Motion');
    await expect(page.getByText('No pass is marked as motion')).toBeVisible();
  });

  await test.step('what was made can be removed', async () => {
    await expect(card).toContainText('Motion from the camera was made.');
    await card.getByRole('button', { name: 'Remove motion_from_camera' }).click();
    await page.locator('.ant-popconfirm').getByRole('button', { name: 'Remove', exact: true }).click();
    await expect(card).not.toContainText('was made.');
  });
});

/** A name of its own among the shots. */
const SPRAY = 'TC_031_spray';

test('encodings are kept, noted, exported, imported and removed on their own page', async ({ page }) => {
  const name = `Spray tool ${Date.now()}`;
  const shot = await ShotPage.open(page, 'TC_030', { agreed: true, as: SPRAY, step: 'motion' });
  await expect(page.locator('.ant-segmented-item-selected', { hasText: 'y up' })).toBeVisible();
  await page.getByLabel('Name for this reading').fill(name);
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByText(`Kept as ${name}.`)).toBeVisible();
  await page.getByRole('link', { name: 'All of them' }).click();
  const row = page.locator('.ant-table-row', { hasText: name });
  await expect(row).toContainText('x in R, y in G, length in B');
  await expect(row.getByRole('link', { name: SPRAY })).toBeVisible();

  await row.getByLabel(`Note for ${name}`).fill('particles, per second');
  await page.getByLabel('Find an encoding').click();
  await expect(row).toContainText('version 2');
  const download = page.waitForEvent('download');
  await row.getByRole('button', { name: `Export ${name}` }).click();
  const file = await (await download).path();
  expect(JSON.parse(readFileSync(file, 'utf8'))).toMatchObject({
    ivrexEncoding: 1,
    name,
    note: 'particles, per second',
    sets: [{ length: 'B' }],
  });

  await row.getByRole('button', { name: `Remove ${name}` }).click();
  await page.locator('.ant-popconfirm').getByRole('button', { name: 'Remove' }).click();
  await expect(row).toHaveCount(0);
  // Back in, from the file; what is no encoding is refused.
  const copy = path.join(tmpdir(), 'ivrex-spray.json'),
    bad = path.join(tmpdir(), 'ivrex-no-encoding.json');
  writeFileSync(copy, readFileSync(file));
  writeFileSync(bad, '{"ivrexEncoding": 2}');
  await page.locator('input[type=file]').setInputFiles(bad);
  await expect(page.getByText(/ivrex-no-encoding.json: this is no encoding/)).toBeVisible();
  await page.locator('input[type=file]').setInputFiles(copy);
  await expect(row).toContainText('particles, per second');

  // The shot's pass looks like the one it was kept for; under another reading it is offered.
  await page.getByRole('link', { name: 'Shots', exact: true }).click();
  await page.locator('.shot-card', { hasText: SPRAY }).click();
  await shot.step('Motion');
  await page.getByText('y down', { exact: true }).click();
  await expect(page.locator('.ant-segmented-item-selected', { hasText: 'y down' })).toBeVisible();
  const kept = page.getByTestId('kept-readings');
  await page.getByLabel('Name for this reading').fill(`${name} again`);
  await kept.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByText(`Kept as ${name} again.`)).toBeVisible();
  await page.getByText('y up', { exact: true }).click();
  await expect(kept).toContainText(`${name} again was kept for a pass with the same channels, types and header`);
  await kept.getByRole('button', { name: `Use ${name} again` }).click();
  await expect(page.locator('.ant-segmented-item-selected', { hasText: 'y down' })).toBeVisible();
});
