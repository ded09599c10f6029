import path from 'node:path';
import type { Page } from '@playwright/test';
import { expect, test } from './fixtures';
import { SAME, ShotPage } from './shot-page';

const LOOK = path.join(import.meta.dirname, '../.cache/demo/small/look');

async function openPasses(page: Page, name: string): Promise<ShotPage> {
  const shot = await ShotPage.open(page, name);
  await shot.step('Passes');
  await expect(page.getByTestId('findings').or(page.getByText('Every frame is there and whole'))).toBeVisible();
  return shot;
}

test('the findings of the wheel room name all that is wrong with it; an offset is taken, taken back and dragged', async ({ page }) => {
  await openPasses(page, 'TC_020');
  const findings = page.getByTestId('findings');
  await expect(findings).toContainText('TC_020_beauty.####.exr, frame 1019: the picture is incomplete');
  await expect(findings).toContainText('TC_020_beauty.####.exr: frame 1013 is missing');
  await expect(findings).toContainText('TC_020_motion.####.png is numbered 1002 to 1025, the beauty 1001 to 1024');
  await expect(findings).toContainText('Every frame would be blurred with the motion of its neighbour');
  await expect(findings).toContainText('whole numbers of 16 bits (PNG)');

  await page.getByRole('button', { name: 'Shift it by -1' }).click();
  await expect(findings).not.toContainText('is numbered 1002 to 1025');
  const bar = page.getByRole('slider', { name: /Frames of motion/ });
  await expect(bar).toHaveAttribute('aria-valuenow', '1');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(findings).toContainText('is numbered 1002 to 1025');

  await bar.scrollIntoViewIfNeeded();
  const box = await bar.boundingBox();
  if (box === null) throw new Error('the bar has no place');
  // The scale spans 1000 to 1026: one frame is a 27th of the bar.
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width / 2 - box.width / 27, box.y + box.height / 2, { steps: 4 });
  await page.mouse.up();
  await expect(bar).toHaveAttribute('aria-valuenow', '1');
  await expect(findings).not.toContainText('is numbered 1002 to 1025');
  await bar.focus();
  await page.keyboard.press('ArrowLeft');
  await expect(findings).toContainText('it is shifted by 2');
  await page.keyboard.press('ArrowRight');
  await expect(findings).not.toContainText('shifted by');
});

test('every pass is seen at once; roles are agreed to in one click and changed in one', async ({ page }) => {
  const shot = await openPasses(page, 'TC_020');
  const sheet = page.getByTestId('contact-sheet');
  await expect(sheet.getByRole('button')).toHaveCount(8);
  await expect(sheet.locator('canvas[data-drawn]')).toHaveCount(8);
  await page.getByRole('button', { name: 'These roles are right' }).click();
  await expect(page.getByRole('button', { name: 'Roles agreed' })).toBeDisabled();
  await sheet.getByRole('button', { name: 'Look at TC_020_plate' }).click();
  await expect(shot.picture).toHaveAttribute('data-shows', /^pass/);
  await expect(page.getByTestId('picture-card')).toContainText('How TC_020_plate is read');

  const row = page.locator('.pass-row', { hasText: 'TC_020_pendulum_matte' });
  await row.locator('.ant-select').click();
  await page.locator('.ant-select-item-option', { hasText: 'Shadow' }).last().click();
  await expect(row).toContainText('Picture; you chose');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(row).toContainText('Data, kept as stored; the file is named for a matte');
});

test('a reading of alpha is tried by pointing, taken by a click, and borrowed from a matte', async ({ page }) => {
  const shot = await openPasses(page, 'TC_020');
  await page.getByLabel('Show TC_020_beauty').click();
  // Scrolling must not bring a reading under the pointer: that would try it.
  await page.mouse.move(300, 300);
  const card = page.getByTestId('picture-card');
  await card.scrollIntoViewIfNeeded();
  await expect(card.getByRole('button', { name: 'Premultiplied' })).toHaveAttribute('aria-pressed', 'true');
  await expect(shot.picture).toHaveAttribute('data-frame', /\d/);
  const before = await shot.pixels();
  await card.getByRole('button', { name: 'No alpha' }).hover();
  await expect.poll(() => shot.changeSince(before)).toBeGreaterThan(SAME * 10);
  await page.mouse.move(300, 300);
  await expect.poll(() => shot.changeSince(before)).toBeLessThan(SAME);

  await card.locator('.ant-select', { has: page.getByLabel('Pass whose alpha is borrowed') }).click();
  await page.locator('.ant-select-item-option', { hasText: 'TC_020_pendulum_matte' }).last().click();
  await card.getByRole('button', { name: "Another pass's alpha" }).click();
  await expect(card.getByRole('button', { name: "Another pass's alpha" })).toHaveAttribute('aria-pressed', 'true');
  await page.mouse.move(300, 300);
  await expect.poll(() => shot.changeSince(before)).toBeGreaterThan(SAME * 10);
  await card.getByRole('button', { name: 'As such files usually are' }).click();
  await expect(card.getByRole('button', { name: 'Premultiplied' })).toHaveAttribute('aria-pressed', 'true');
});

test('objects of a Cryptomatte are chosen in the picture and kept as a matte', async ({ page }) => {
  const shot = await openPasses(page, 'TC_020');
  await page.getByLabel('Show wheel_objects').click();
  const card = page.getByTestId('objects-card');
  await expect(card).toContainText('7 named objects');
  await expect(page.getByTestId('viewer-note')).toContainText('4 ranks');
  const box = await shot.picture.boundingBox();
  if (box === null) throw new Error('the picture has no place');
  // The hub of the escape wheel, at 452, 262 of 960 x 540, a little beside its axle.
  const zoom = Math.min((box.width - 28) / 960, (box.height - 28) / 540);
  const at = { x: box.x + box.width / 2 + (464 - 480) * zoom, y: box.y + box.height / 2 + (262 - 270) * zoom };
  await page.mouse.click(at.x, at.y);
  await expect(card.locator('[aria-pressed="true"]')).toHaveText(['escape wheel']);
  await card.getByRole('button', { name: 'pendulum' }).click();
  await card.getByLabel('Name of the matte').fill('Going parts');
  await card.getByRole('button', { name: 'Keep as matte' }).click();
  await expect(card).toContainText('2 objects');
  await page.reload();
  await page.getByLabel('Show wheel_objects').click();
  await page.getByRole('button', { name: 'Going parts', exact: true }).click();
  await expect(card.locator('[aria-pressed="true"]')).toHaveCount(2);
  await card.getByLabel('Remove matte Going parts').click();
  await expect(card).not.toContainText('2 objects');
});

test('the view is held against a still, and the transform that matches is offered and taken', async ({ page }) => {
  await openPasses(page, 'TC_010');
  // The still is of frame 1012.
  await page.getByRole('slider', { name: 'Frame', exact: true }).focus();
  for (let frame = Number(await page.getByTestId('frame-number').textContent()); frame !== 1012; frame += frame < 1012 ? 1 : -1)
    await page.keyboard.press(frame < 1012 ? 'ArrowRight' : 'ArrowLeft');
  await expect(page.getByTestId('frame-number')).toHaveText('1012');
  const card = page.getByTestId('display-card');
  await card.locator('.ant-select', { has: page.getByLabel('Picture to hold against the still') }).click();
  await page.locator('.ant-select-item-option', { hasText: 'TC_010_plate' }).last().click();
  const chooser = page.waitForEvent('filechooser');
  await card.getByRole('button', { name: 'Match a still' }).click();
  await (await chooser).setFiles(path.join(LOOK, 'TC_010_plate_still_1012.png'));
  await expect(page.getByTestId('still-match')).toContainText('The view does not match TC_010_plate_still_1012.png');
  await expect(page.getByTestId('viewer-note')).toContainText('view minus still');
  await card.getByRole('button', { name: /Soft shoulder .* comes closer: 0\.\d steps/ }).click();
  await expect(page.getByTestId('still-match')).toContainText('The view matches');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
});

test('a .cube table is loaded and shown through; one that is none is refused and the view stays', async ({ page }) => {
  const shot = await openPasses(page, 'TC_010');
  await page.keyboard.press('s');
  await expect(shot.picture).toHaveAttribute('data-shows', /^sharp/);
  const before = await shot.pixels();
  const card = page.getByTestId('display-card');
  const load = async (file: string | { name: string; mimeType: string; buffer: Buffer }) => {
    const chooser = page.waitForEvent('filechooser');
    await card.getByRole('button', { name: 'Load a .cube' }).click();
    await (await chooser).setFiles(file);
  };
  await load({ name: 'broken.cube', mimeType: 'text/plain', buffer: Buffer.from('LUT_3D_SIZE 2\n0 0 0\n') });
  await expect(page.getByText('broken.cube: The LUT holds 1 of 8 values')).toBeVisible();
  await expect(card.locator('.ant-select', { has: page.getByLabel('Display transform') })).toContainText('sRGB');
  await load(path.join(LOOK, 'tidal_clock_evening.cube'));
  await expect(card.locator('.ant-select', { has: page.getByLabel('Display transform') })).toContainText(
    'tidal_clock_evening (cube of 33)',
  );
  await expect.poll(() => shot.changeSince(before)).toBeGreaterThan(SAME);
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect.poll(() => shot.changeSince(before)).toBeLessThan(SAME);
});

test('how depth is stored is detected, shown with its evidence, and chosen otherwise', async ({ page }) => {
  await openPasses(page, 'TC_020');
  const card = page.getByTestId('depth-card');
  await expect(card.getByTestId('depth-words')).toContainText('channel Z, smaller is nearer, 0 is nothing');
  await expect(card).toContainText('it is where the picture is clear');
  await card.getByLabel('What the stored values are').click();
  await page
    .getByTitle(/larger is nearer/)
    .first()
    .click();
  await expect(card.getByTestId('depth-words')).toContainText('Chosen: channel Z, larger is nearer');
  await card.getByLabel('Stored values that mean nothing').fill('zero');
  await expect(card).toContainText('Up to four numbers');
  await card.getByLabel('Stored values that mean nothing').fill('0, 1e10');
  await card.getByLabel('Stored values that mean nothing').press('Enter');
  await expect(card.getByTestId('depth-words')).toContainText('0 and 1e10 are nothing');
  await card.getByRole('button', { name: 'Use the detected encoding' }).click();
  await expect(card.getByTestId('depth-words')).toContainText('Detected: channel Z, smaller is nearer');
});
