import type { Page } from '@playwright/test';
import { expect, test } from './fixtures';
import { HERON, SAME, ShotPage, ownShot } from './shot-page';

/** Tab until the focus is on what carries this text or label. */
async function tabTo(page: Page, name: string): Promise<void> {
  const met: string[] = [];
  for (let i = 0; i < 120; i++) {
    const here = await page.evaluate(() => {
      const e = document.activeElement as HTMLElement | null;
      return `${e?.getAttribute('aria-label') ?? ''}|${e?.innerText ?? ''}`;
    });
    if (here.split('|').some((text) => text.startsWith(name))) return;
    met.push(here.replace(/\s+/g, ' ').slice(0, 30));
    await page.keyboard.press('Tab');
  }
  throw new Error(`no way by Tab to "${name}"; met ${met.slice(-40).join(', ')}`);
}

test('the main job with the keyboard alone', async ({ page }) => {
  const own = 'TC_011_keys';
  await ownShot(page, 'TC_010', { as: own, only: HERON });
  await page.goto('/');
  await expect(page.locator('.shot-card', { hasText: own })).toBeVisible();
  const name = await page.locator('.shot-card', { hasText: own }).innerText();
  await tabTo(page, name.split('\n')[0]);
  await page.keyboard.press('Enter');
  await tabTo(page, 'Motion');
  await page.keyboard.press('Enter');
  const take = page.getByRole('button', { name: 'Take this reading' });
  await expect(take.or(page.getByText('How far is full scale?'))).toBeVisible();
  if (await take.isVisible()) {
    await tabTo(page, 'Take this reading');
    await page.keyboard.press('Enter');
  }
  await expect(page.getByText('How far is full scale?')).toBeVisible();
  await page.locator('.top-bar a').first().focus();
  await tabTo(page, 'Shutter');
  await page.keyboard.press('Enter');
  const shot = new ShotPage(page);
  await shot.exact();
  await tabTo(page, 'Shutter closes');
  await page.keyboard.press('Shift+ArrowRight');
  await expect(page.getByLabel('Closes', { exact: true })).toHaveValue('0.35');
  await tabTo(page, 'Angle');
  await page.keyboard.press('Control+a');
  await page.keyboard.type('144');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Opens', { exact: true })).toHaveValue('-0.15');
  await page.locator('.top-bar a').first().focus();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(page.getByLabel('Closes', { exact: true })).toHaveValue('0.25');

  await page.keyboard.press('ArrowRight');
  const frame = Number(await page.getByTestId('frame-number').innerText());
  await page.keyboard.press('Shift+ArrowLeft');
  await expect(page.getByTestId('frame-number')).toHaveText(String(frame - 10));
  for (const [key, look] of [
    ['s', 'sharp'],
    ['d', 'directions'],
    ['h', 'speed'],
    ['b', 'blurred'],
    ['w', 'wipe'],
  ]) {
    await page.keyboard.press(key);
    await expect(shot.picture).toHaveAttribute('data-shows', new RegExp(`^${look}:`));
  }
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible();
  await page.keyboard.press('Escape');
  await tabTo(page, 'Deliver');
  await page.keyboard.press('Enter');
  await tabTo(page, 'Render the sequence');
});

test('playing moves through the frames and stops', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010', { only: HERON });
  await page.keyboard.press('s');
  const number = page.getByTestId('frame-number');
  const before = await number.innerText(),
    pixels = await shot.pixels();
  await page.locator('body').press(' ');
  await expect(number).not.toHaveText(before);
  await page.locator('body').press(' ');
  const rest = await number.innerText();
  expect(Number(rest)).toBeGreaterThanOrEqual(1001);
  await expect.poll(() => shot.changeSince(pixels)).toBeGreaterThan(SAME);
  await expect(page.getByRole('button', { name: 'Play' })).toBeVisible();
});

test('wheel zooms at the pointer, drag pans, keys fit and go one to one', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010', { only: HERON });
  await page.keyboard.press('s');
  await expect(shot.picture).toHaveAttribute('data-shows', /^sharp/);
  const fitted = await shot.pixels(),
    box = await shot.picture.boundingBox();
  if (box === null) throw new Error('the picture has no place');
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  const probe = page.getByTestId('probe');
  const place = async () => (/at (\d+), (\d+)/.exec(await probe.innerText()) ?? []).slice(1).map(Number);
  const before = await place();
  await page.mouse.wheel(0, -400);
  await expect.poll(() => shot.changeSince(fitted)).toBeGreaterThan(SAME);
  await page.mouse.move(box.x + box.width / 2 + 1, box.y + box.height / 2);
  const after = await place();
  expect(Math.hypot(after[0] - before[0], after[1] - before[1])).toBeLessThan(2);
  await page.mouse.down();
  await page.mouse.move(box.x + 100, box.y + 100, { steps: 3 });
  await page.mouse.up();
  await page.keyboard.press('1');
  await page.keyboard.press('0');
  await expect.poll(() => shot.changeSince(fitted)).toBeLessThan(SAME);
});
