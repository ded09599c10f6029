import { readFileSync } from 'node:fs';
import { expect, test } from './fixtures';
import { SAME, ShotPage } from './shot-page';

interface Report {
  readonly shot: { readonly name: string };
  readonly match: { readonly match: { readonly opens: number } } | null;
  readonly frames: readonly {
    readonly frame: number;
    readonly figures: { readonly maskedPsnr: number } | null;
    readonly before: { readonly maskedPsnr: number } | null;
  }[];
}

test('from a reference to its shutter: find it, take it, see the error fall, read the verdict, hand over the report', async ({ page }) => {
  test.setTimeout(300000);
  const shot = await ShotPage.open(page, 'TC_010', { agreed: true, only: /heron|plate/, step: 'match' });
  const figures = page.getByTestId('figures'),
    masked = page.getByTestId('masked-psnr');
  /** Both pictures are whole, and the figures are theirs. */
  const compared = async (way: string) => {
    await expect(shot.picture).toHaveAttribute('data-shows', `compare:${way}:ready:ready`, { timeout: 60000 });
    await expect(figures).toHaveAttribute('aria-busy', 'false', { timeout: 30000 });
  };
  const decibels = async () => Number.parseFloat((await masked.textContent()) ?? '');
  const choose = async (box: string, text: string) => {
    await page.getByRole('combobox', { name: box, exact: true }).click();
    await page.locator('.ant-select-dropdown:visible .ant-select-item-option', { hasText: text }).last().click();
  };

  await test.step('the blur stands against a reference at one of its frames', async () => {
    await choose('Picture B', 'TC_010_heron_ref');
    await expect(page.getByRole('status').filter({ hasText: 'it has 1006, 1014' })).toBeVisible();
    await page.getByTestId('compared-1006').click({ force: true });
    await expect(page.getByTestId('frame-number')).toHaveText('1006');
    await compared('wipe');
  });
  const before = await decibels();

  await test.step('its shutter is found and taken, and the error falls', async () => {
    await choose('Reference', 'TC_010_heron_ref');
    await page.getByRole('button', { name: 'Find it' }).click();
    await expect(page.getByTestId('fit-angle')).toContainText(/^14\d\.\d° ± \d/, { timeout: 120000 });
    await expect(page.getByTestId('fit-result').locator('svg').first()).toBeVisible();
    await page.getByTestId('fit-result').getByRole('button', { name: 'Take it' }).click();
    await expect(page.getByTestId('fit-result').getByRole('button', { name: 'Taken' })).toBeVisible();
    await compared('wipe');
    await expect.poll(decibels).toBeGreaterThan(before + 8);
    await expect(page.getByRole('button', { name: 'Undo', exact: true })).toBeEnabled();
  });

  await test.step('wipe at any angle, beside, flick, difference and error show the same two pictures', async () => {
    const plain = await shot.pixels();
    const box = await page.getByTestId('picture').boundingBox();
    if (box === null) throw new Error('the picture has no place');
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    // The handle lies beside the edge's middle; it is turned downwards.
    await page.mouse.move(x + 64, y);
    await page.mouse.down();
    await page.mouse.move(x, y + 64, { steps: 4 });
    await page.mouse.up();
    const card = page.getByTestId('compare-card');
    await card.getByText('Beside', { exact: true }).click();
    await compared('beside');
    await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(1);
    await card.getByText('Flick', { exact: true }).click();
    await compared('flick');
    const a = await shot.pixels();
    await page.locator('h2', { hasText: 'Match' }).click();
    await page.keyboard.down('f');
    await expect.poll(() => shot.changeSince(a)).toBeGreaterThan(SAME);
    await page.keyboard.up('f');
    await expect.poll(() => shot.changeSince(a)).toBeLessThan(SAME / 10);
    await card.getByText('Difference', { exact: true }).click();
    await compared('difference');
    await page.getByLabel('Times', { exact: true }).fill('20');
    await page.getByRole('switch', { name: 'With sign' }).click();
    await expect(page.getByTestId('viewer-note')).toContainText('A less B, 20 times, grey is equal');
    await card.getByText('Error', { exact: true }).click();
    await compared('error');
    await page.getByRole('button', { name: /^at \d+, \d+$/ }).click();
    await expect(page.locator('.probe')).toHaveCount(1);
    await page.keyboard.press('0');
  });

  await test.step('a drawn region is counted alone', async () => {
    const whole = await figures.textContent();
    await page.getByRole('button', { name: 'Draw region' }).click();
    const box = await page.getByTestId('picture').boundingBox();
    if (box === null) throw new Error('the picture has no place');
    await page.mouse.move(box.x + box.width * 0.2, box.y + box.height * 0.3);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.5, box.y + box.height * 0.6, { steps: 3 });
    await page.mouse.up();
    await expect.poll(() => figures.textContent()).not.toBe(whole);
    await page.getByTestId('compare-card').getByText('Element', { exact: true }).click();
    await expect(figures).toHaveAttribute('aria-busy', 'false');
  });

  await test.step('where not to trust it is shown, with a verdict and the render time at stake', async () => {
    const card = page.getByTestId('trust-card');
    await card.getByRole('button', { name: 'Show' }).click();
    await expect(page.getByTestId('verdict')).toContainText(/TC_010_heron:\s*(Fine|Fix this first|Render it with blur)/, {
      timeout: 60000,
    });
    await expect(page.getByTestId('viewer-note')).toContainText('likely to be off');
    await expect(page.getByTestId('cost')).toContainText('as the reference says');
    const all = await shot.pixels();
    await card.getByRole('switch', { name: 'Show Not confirmed' }).click();
    await expect.poll(() => shot.changeSince(all)).toBeGreaterThan(SAME);
  });

  await test.step('states are named, compared and returned to', async () => {
    const card = page.getByTestId('states-card');
    await page.getByLabel('Name of this state').fill('as matched');
    await card.getByRole('button', { name: 'Keep' }).click();
    await expect(card).toContainText('as matched set now');
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(card).not.toContainText('set now');
    await card.getByRole('button', { name: 'Compare' }).click();
    await compared('error');
    await expect.poll(decibels).toBeLessThan(before + 8);
    await card.getByRole('button', { name: 'Return' }).click();
    await expect(card).toContainText('as matched set now');
    await card.getByRole('button', { name: /^All \d+ changes$/ }).click();
    await expect(page.getByTestId('history')).toContainText('Back to "as matched"');
  });

  await test.step('the report is handed over', async () => {
    const download = page.waitForEvent('download', { timeout: 120000 });
    await page.getByTestId('report-card').getByRole('button', { name: 'JSON' }).click();
    const report = JSON.parse(readFileSync(await (await download).path(), 'utf8')) as Report;
    expect(report.shot.name).toBe('TC_010');
    expect(report.match?.match.opens).toBeCloseTo(0, 1);
    expect(report.frames.map((f) => f.frame)).toEqual([1006, 1014]);
    for (const { figures: after, before: sharp } of report.frames)
      expect(after?.maskedPsnr).toBeGreaterThan((sharp?.maskedPsnr ?? Infinity) + 10);
  });
});

test('the plate’s shutter from its streaks: looked for, and drawn along', async ({ page }) => {
  test.setTimeout(180000);
  const shot = await ShotPage.open(page, 'TC_010', { agreed: true, only: /heron|plate/, step: 'match' });
  const card = page.getByTestId('streak-card'),
    angle = page.getByTestId('streak-angle');
  await card.getByRole('button', { name: 'Look for streaks' }).click();
  await expect(angle).toContainText(/^1[78]\d\.\d° ± \d/, { timeout: 60000 });
  const lines = card.getByRole('button', { name: 'Leave out' });
  const found = await lines.count();
  await lines.first().click();
  await expect(lines).toHaveCount(found - 1);
  // An empty piece of sky is refused in words, and nothing is lost.
  await card.getByRole('button', { name: 'Draw along one' }).click();
  const box = await page.getByTestId('picture').boundingBox();
  if (box === null) throw new Error('the picture has no place');
  await page.mouse.move(box.x + box.width * 0.1, box.y + box.height * 0.3);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.22, box.y + box.height * 0.3, { steps: 3 });
  await page.mouse.up();
  await expect(card.getByRole('status')).toContainText(/streak|stands out/i, { timeout: 30000 });
  await expect(lines).toHaveCount(found - 1);
  await card.getByRole('button', { name: 'Look for streaks' }).click();
  await expect(angle).toContainText(/^1[78]\d\.\d° ± \d/, { timeout: 60000 });
  await angle.locator('..').getByRole('button', { name: 'Take it' }).click();
  await expect(page.getByRole('button', { name: 'Undo', exact: true })).toBeEnabled();
  await shot.step('Shutter');
  await expect(page.getByLabel('Angle', { exact: true })).toHaveValue(/^1[78]\d/);
});
