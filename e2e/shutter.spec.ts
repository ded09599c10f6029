import { expect, test } from './fixtures';
import { HERON, SAME, ShotPage } from './shot-page';

test('the shutter, its shape, strength and speeds, and what the blur is made from', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010', { agreed: true, only: HERON, step: 'shutter' });
  await page.locator('.viewer-bar').getByText('Blurred', { exact: true }).click();
  await page.getByRole('button', { name: '180 centred' }).click();
  await shot.exact();
  const note = page.getByTestId('viewer-note'),
    undo = page.getByRole('button', { name: 'Undo', exact: true }),
    angle = page.getByLabel('Angle', { exact: true });
  const plain = await shot.pixels();
  /** Waits for another picture that is exact. */
  const changed = async (by = SAME) => {
    await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(by);
    await shot.exact();
  };
  const back = async () => {
    await undo.click();
    await expect.poll(() => shot.changeSince(plain)).toBeLessThan(SAME / 10);
    await shot.exact();
  };

  await test.step('angle and fraction say the same; an element may have a shutter of its own', async () => {
    await page.getByLabel('Open for', { exact: true }).fill('0.75');
    await page.getByLabel('Open for', { exact: true }).press('Enter');
    await expect(angle).toHaveValue('270');
    await back();
    await page.getByText('Its own', { exact: true }).click();
    await page.getByRole('button', { name: '360 from the frame' }).click();
    await expect(angle).toHaveValue('360');
    await page.getByText("The shot's", { exact: true }).click();
    await expect(angle).toHaveValue('180');
  });

  await test.step('exposure shapes are drawn and change the picture', async () => {
    const area = page.getByTestId('interval').locator('path.edge');
    const even = await area.getAttribute('d');
    await page.getByText('Bell', { exact: true }).click();
    await expect.poll(() => area.getAttribute('d')).not.toBe(even);
    await changed(SAME / 4);
    await page.getByText('Soft edges', { exact: true }).click();
    await expect(page.getByLabel('Opening takes', { exact: true })).toHaveValue('20');
    await page.getByText('Even', { exact: true }).click();
    await expect.poll(() => shot.changeSince(plain)).toBeLessThan(SAME / 10);
  });

  await test.step('strength is keyed in the strip, by mouse and by keys', async () => {
    const strip = page.getByRole('slider', { name: 'Frame', exact: true }),
      box = await strip.boundingBox();
    if (box === null) throw new Error('the strip has no place');
    const keys = page.getByRole('slider', { name: /^Strength key/ });
    // The first frame, at the base: no blur at all.
    await page.mouse.dblclick(box.x + box.width / 48, box.y + box.height * 0.83);
    await expect(keys).toHaveCount(1);
    const key = keys.first();
    await expect(key).toHaveAttribute('aria-label', 'Strength key at frame 1001');
    await key.focus();
    const before = Number(await key.getAttribute('aria-valuenow'));
    await page.keyboard.press('ArrowUp');
    await expect(key).toHaveAttribute('aria-valuenow', String(Number((before + 0.05).toFixed(3))));
    for (let k = 0; k < 3; k++) await page.getByRole('button', { name: 'Next frame' }).click();
    await page.getByRole('button', { name: /^Key at/ }).click();
    await expect(keys).toHaveCount(2);
    const second = await keys.nth(1).boundingBox();
    if (second === null) throw new Error('the key has no place');
    await page.mouse.move(second.x + second.width / 2, second.y + second.height / 2);
    await page.mouse.down();
    await page.mouse.move(second.x + second.width / 2 + box.width / 12, second.y + second.height / 2 - 14, { steps: 4 });
    await page.mouse.up();
    await expect(page.getByRole('button', { name: 'Next key' })).toBeEnabled({ timeout: 5000 });
    await page.getByRole('button', { name: 'Next key' }).click();
    await expect(page.getByRole('button', { name: 'Take key away' })).toBeVisible();
    await page.getByRole('button', { name: 'Take key away' }).click();
    await expect(keys).toHaveCount(1);
    await keys.first().focus();
    await page.keyboard.press('Delete');
    await expect(keys).toHaveCount(0);
    await page.getByLabel('All frames', { exact: true }).fill('1');
    await page.getByLabel('All frames', { exact: true }).press('Enter');
  });

  await test.step('a frame that was blurred is there at once when it is looked at again', async () => {
    await page.getByRole('button', { name: 'Next frame' }).click();
    await shot.exact();
    await page.getByRole('button', { name: 'Frame before', exact: true }).click();
    await page.getByRole('button', { name: 'Next frame' }).click();
    // Faster than a plan can be made: it is the kept picture.
    await expect(shot.picture).toHaveAttribute('data-shows', /^blurred:final/, { timeout: 1500 });
  });

  await test.step('a ceiling shortens the blur, and the histogram says of how much', async () => {
    const exact = await shot.pixels();
    await page.getByLabel('Ceiling', { exact: true }).fill('4');
    await page.getByLabel('Ceiling', { exact: true }).press('Enter');
    await expect(page.getByTestId('speeds-card')).toContainText('Above 4 px blurs as 4 px does');
    await expect.poll(() => shot.changeSince(exact)).toBeGreaterThan(SAME);
    await shot.exact();
    await undo.click();
    await expect.poll(() => shot.changeSince(exact)).toBeLessThan(SAME / 10);
    await page.getByRole('slider', { name: 'Speed floor' }).focus();
    await page.keyboard.press('ArrowRight');
    await expect(page.getByTestId('speeds-card')).toContainText('stays sharp');
    await undo.click();
  });

  await test.step('layers, bends, hidden parts, slices and paths are pictures', async () => {
    const looks = page.getByTestId('looks-card');
    for (const [name, says] of [
      ['Layers', /^\d+ layers, a colour each|^one layer/],
      ['Bends', /how far paths leave the straight line: up to [\d.]+ px/],
      ['Hidden', /what lies behind: [\d.]+ % of the picture found elsewhere|nothing hidden/],
      ['Slices', /slices that the travel needs: up to \d+/],
    ] as const) {
      await looks.getByText(name, { exact: true }).click();
      await expect(note).toHaveText(says);
    }
    await page.locator('.ant-select', { has: page.getByLabel('Samples', { exact: true }) }).click();
    await page.locator('.ant-select-dropdown:visible .ant-select-item-option', { hasText: 'Fixed number' }).click();
    await expect(note).toHaveText(/32 slices: up to [\d.]+ px each/);
    await undo.click();
    const drawn = () =>
      page.evaluate(() => {
        const overlay = document.querySelectorAll<HTMLCanvasElement>('.picture canvas')[1];
        const pixels = overlay.getContext('2d')?.getImageData(0, 0, overlay.width, overlay.height).data ?? [];
        return Array.from(pixels).filter((v, i) => i % 4 === 3 && v > 0).length;
      });
    expect(await drawn()).toBe(0);
    await looks.getByRole('button', { name: 'Paths' }).click();
    await expect.poll(drawn).toBeGreaterThan(100);
    await page.keyboard.press('t');
    await expect.poll(drawn).toBe(0);
  });
});
