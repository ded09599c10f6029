import { copyFileSync, mkdirSync } from 'node:fs';
import path from 'node:path';
import { dataFolder, expect, test } from './fixtures';
import { ShotPage, SMALL } from './shot-page';

/** The wheel room's pass: a curve baked in, numbered one late, clipped on two frames. */
test('a damaged pass is read, proven, repaired and audited, and all of it taken back', async ({ page }) => {
  test.setTimeout(400000);
  const shot = await ShotPage.open(page, 'TC_020', { only: /beauty|motion|depth|objects/ });
  await shot.step('Motion');
  const card = page.getByTestId('reading-card'),
    symptoms = page.getByTestId('symptoms');

  await test.step('the pictures tell curve, range, axes and numbering', async () => {
    await expect(page.getByTestId('reading-words')).toContainText('power curve 2.2', { timeout: 120000 });
    await expect(page.getByTestId('reading-words')).toContainText('full scale 16 px');
    await expect(card).toContainText(/sure, (8[5-9]|9\d) %/, { timeout: 120000 });
    await expect(symptoms).toContainText('no motion reads 0.730 instead of 0.5');
    await expect(page.getByTestId('plot-x').locator('circle')).not.toHaveCount(0);
    await expect(page.getByTestId('plot-y')).toContainText('pixels a frame against what G holds');
  });

  await test.step('the numbering is mended by its button', async () => {
    await symptoms.getByRole('button', { name: 'Shift the motion by +1' }).click();
    await expect(symptoms.getByRole('button', { name: 'Shift the motion by +1' })).toHaveCount(0, { timeout: 120000 });
  });

  await test.step('the proof: the vectors take away most of what the next frame differs by', async () => {
    await card.getByRole('button', { name: 'Look at the proof' }).click();
    const note = page.getByTestId('viewer-note');
    await expect(note).toContainText('fetched back along the vectors');
    const figures = /times: ([\d.]+) on average \(([\d.]+) without/.exec((await note.textContent()) ?? '');
    expect(Number(figures?.[1])).toBeLessThan(Number(figures?.[2]) / 3);
    const explained = await shot.pixels();
    await card.getByText('without the vectors', { exact: true }).click();
    await expect(note).toContainText('as it is');
    expect(await shot.changeSince(explained)).toBeGreaterThan(1);
  });

  await test.step('once taken, all frames are audited: the two clipped ones are named, and seen in the strip', async () => {
    await card.getByRole('button', { name: 'Take this reading' }).click();
    await expect(card).toContainText('This is the reading that is used');
    const audit = page.getByTestId('audit-card');
    await expect(audit).toContainText('values are stuck at its end in frame 1010, frame 1020', { timeout: 150000 });
    await expect(audit).toContainText('20 px');
    await expect(page.getByTestId('clipped-1010')).toBeVisible();
    await audit.getByRole('button', { name: 'frame 1010', exact: true }).click();
    await expect(page.getByTestId('frame-number')).toHaveText('1010');
  });

  await test.step('the clipped motion is continued; the switch says how many pixels changed', async () => {
    const repairs = page.getByTestId('repairs');
    await page.getByTestId('audit-card').getByRole('button', { name: 'Continue the motion where it is clipped' }).click();
    await expect(repairs.getByRole('switch', { name: 'Fill holes' })).toBeChecked();
    await expect(repairs).toContainText(/[1-9]\d* pixels here/);
    // Before and after: held, the motion is as it is stored.
    await page.keyboard.down('u');
    await expect(repairs).toContainText(/[^\d]0 pixels here/);
    await page.keyboard.up('u');
    await expect(repairs).toContainText(/[1-9]\d* pixels here/);
    await page.reload();
    await shot.loaded();
    await expect(page.getByTestId('repairs').getByRole('switch', { name: 'Fill holes' })).toBeChecked();
  });

  await test.step('it is written with the right range: the error is said before, and measured after', async () => {
    const remap = page.getByTestId('remap-card');
    await expect(page.getByTestId('remap-prediction')).toContainText(/largest error will be 0\.000\d+ px/);
    await remap.getByRole('button', { name: 'Write all frames' }).click();
    await expect(page.getByTestId('remap-result')).toContainText('24 of 24 frames written', { timeout: 150000 });
    await expect(page.getByTestId('remap-result')).toContainText('nothing was clipped');
  });

  await test.step('everything can be taken back', async () => {
    const undo = page.getByRole('button', { name: 'Undo', exact: true });
    await undo.click();
    await expect(page.getByTestId('repairs').getByRole('switch', { name: 'Fill holes' })).not.toBeChecked();
    await undo.click();
    await expect(card.getByRole('button', { name: 'Take this reading' })).toBeVisible();
    await undo.click();
    await expect(symptoms.getByRole('button', { name: 'Shift the motion by +1' })).toBeVisible({ timeout: 120000 });
  });
});

test('what the artist knows for certain is asked for where the pictures do not tell, and stays', async ({ page }) => {
  // One frame alone: nothing moves in it.
  const folder = path.join(dataFolder(), 'media/alone/TC_012_lone_heron');
  mkdirSync(folder, { recursive: true });
  copyFileSync(path.join(SMALL, 'TC_010/TC_010_heron.1008.exr'), path.join(folder, 'heron.1008.exr'));
  const made = (await (await page.request.post('/api/shots', { data: { folder } })).json()) as { id: string };
  await page.goto(`/shots/${made.id}/passes`);
  const shot = new ShotPage(page);
  await shot.loaded();
  await shot.step('Motion');
  const reading = page.getByTestId('reading-card'),
    card = page.getByTestId('facts-card');
  await expect(reading).toContainText('A guess from the stored values', { timeout: 60000 });
  await expect(reading).toContainText('only a guess');
  const box = await shot.picture.boundingBox();
  await page.mouse.move((box?.x ?? 0) + 60, (box?.y ?? 0) + 400);
  await page.keyboard.press('p');
  await card.getByRole('button', { name: 'Pin 1 stands still' }).click();
  await expect(card).toContainText(/Frame 1008: \d+, \d+ stands still/);
  await page.reload();
  await shot.loaded();
  await expect(card).toContainText(/Frame 1008: \d+, \d+ stands still/, { timeout: 60000 });
  await card.getByRole('button', { name: 'Not so' }).click();
  await expect(card).not.toContainText('1008:');
  await page.getByRole('button', { name: 'Undo', exact: true }).click();
  await expect(card).toContainText('stands still');
});
