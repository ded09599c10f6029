import { copyFileSync, mkdirSync, truncateSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { dataFolder, expect, test } from './fixtures';
import { HERON, SMALL, ShotPage, ownShot } from './shot-page';

/** Everything that goes wrong: a gap, a truncated frame, a text file with an image's name, a motion pass of another size. */
function makeFaulty(folder: string): void {
  mkdirSync(folder, { recursive: true });
  for (const frame of [1010, 1011, 1012, 1014])
    copyFileSync(path.join(SMALL, `TC_010/TC_010_heron.${frame}.exr`), path.join(folder, `ebb.${frame}.exr`));
  truncateSync(path.join(folder, 'ebb.1011.exr'), 30000);
  writeFileSync(path.join(folder, 'notes.exr'), 'the gate stays shut until the ebb\n');
  const fixture = path.join(import.meta.dirname, '../packages/core/test/fixtures/layers-zips.exr');
  copyFileSync(fixture, path.join(folder, 'motion_small.exr'));
}

test('a folder with faults becomes a shot that names them, and its good frames can be used', async ({ page }) => {
  makeFaulty(path.join(dataFolder(), 'media/faulty/TC_015_ebb'));
  await page.goto('/');
  await page.getByRole('button', { name: 'New shot' }).click();
  const browser = page.getByTestId('folder-browser');
  await browser.getByRole('button', { name: /e2e\/\d+\/media$/ }).click();
  await browser.getByRole('button', { name: 'faulty', exact: true }).click();
  const row = page.locator('.ant-list-item', { hasText: 'TC_015_ebb' });
  await row.getByRole('button', { name: 'Make a shot' }).click();
  const findings = page.getByTestId('findings');
  await expect(findings).toContainText('ebb.####.exr, frame 1011: the picture is incomplete');
  await expect(findings).toContainText('ebb.####.exr: frame 1013 is missing; the others can be used.');
  await expect(findings).toContainText('notes.exr is left out: this is not an OpenEXR, TIFF, PNG, JPEG or DPX picture');
  await expect(findings).toContainText('motion_small.exr is 37 x 21, the beauty 480 x 270');

  const shot = new ShotPage(page);
  await findings.getByText('frame 1011:').click();
  await expect(page.getByTestId('frame-number')).toHaveText('1011');
  await expect(page.locator('.message')).toContainText('ebb.1011.exr: the picture is incomplete');
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowRight');
  await expect(page.locator('.message')).toContainText('ebb.1013.exr: frame 1013 is missing');
  await page.keyboard.press('ArrowRight');
  await expect(page.locator('.message')).toHaveCount(0);

  await shot.agreeOnReading();
  await shot.step('Shutter');
  await shot.exact();
  // Beside the damaged frame: what could not be used is said, and the blur is made without it.
  for (let k = 0; k < 2; k++) await page.getByRole('button', { name: 'Frame before' }).click();
  await expect(page.getByTestId('frame-number')).toHaveText('1012');
  await expect(page.getByTestId('blur-report')).toContainText('The frame before is not used');
  await expect(page.getByTestId('blur-report')).toContainText('ebb.1011.exr: the picture is incomplete');
  await shot.exact();
});

test('a folder outside the media folders is refused in a sentence, and what was typed stays', async ({ page }) => {
  await page.goto('/');
  await page.getByRole('button', { name: 'New shot' }).click();
  await page.getByLabel('Folder path').fill('/etc');
  await page.getByLabel('Folder path').press('Enter');
  await expect(page.getByText('outside the media folders')).toBeVisible();
  await expect(page.getByLabel('Folder path')).toHaveValue('/etc');
});

test("a reading that can't be decoded says so, and undo leaves it; a panel that breaks leaves the picture", async ({ page }) => {
  await ShotPage.open(page, 'TC_010', { agreed: true, only: HERON, step: 'motion' });
  const cover = page.locator('.ant-select', { has: page.getByLabel('Stretch of time of set 2') });
  await cover.click();
  await page.locator('.ant-select-item-option', { hasText: 'covers: from this frame to the next' }).last().click();
  await expect(page.getByRole('alert').filter({ hasText: 'same moment' })).toBeVisible();
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(page.getByRole('alert')).toHaveCount(0);

  // An error of ours in a panel: it says so, and the picture beside it stays.
  await page.evaluate(() => {
    Number.prototype.toPrecision = () => {
      throw new Error('the sluice is shut');
    };
  });
  await page.getByRole('link', { name: /Shutter/ }).click();
  await expect(page.getByRole('alert')).toContainText('This part of the page met an error');
  await expect(page.getByRole('alert')).toContainText('/shutter: the sluice is shut');
  await expect(page.getByTestId('picture-canvas')).toBeVisible();
  await page.getByRole('button', { name: 'Load the page again' }).click();
  await expect(page.getByTestId('interval')).toBeVisible();
});

test('when the server is gone the page says so, and goes on when it is back', async ({ page }) => {
  await ownShot(page, 'TC_030', { only: /spray/ });
  await page.goto('/');
  await expect(page.locator('.shot-card').first()).toBeVisible();
  await page.route('**/api/shots', (route) => route.abort());
  await page.reload();
  await expect(page.getByText('The server does not answer')).toBeVisible({ timeout: 40000 });
  await page.unroute('**/api/shots');
  await page.getByRole('button', { name: 'Try again' }).click();
  await expect(page.locator('.shot-card').first()).toBeVisible();
});

test('an unknown shot and an unknown page are sentences with a way back', async ({ page }) => {
  await ownShot(page, 'TC_030', { only: /spray/ });
  await page.goto('/shots/00000000-0000-4000-8000-000000000000/passes');
  await expect(page.getByText('there is no such shot', { exact: false })).toBeVisible();
  await page.goto('/shots/none/passes');
  await expect(page.getByText('No shot has this address')).toBeVisible();
  await page.goto('/nowhere');
  await page.getByRole('link', { name: 'Go to the shots' }).click();
  await expect(page.locator('.shot-card').first()).toBeVisible();
});
