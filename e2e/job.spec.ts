import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { dataFolder, expect, test } from './fixtures';
import { HERON, SAME, ShotPage } from './shot-page';

const ROOT = path.join(import.meta.dirname, '..');
const delivered = (name: string) => path.join(dataFolder(), 'deliveries', SHOT, name);

/** A name of its own, for the queue and the shots. */
const SHOT = 'TC_013';

// Rendering takes as long as the machine needs.
test.setTimeout(600000);

test('from the demo shot to blurred frames on disk', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010', { as: SHOT });

  await test.step('the passes are there with their roles', async () => {
    await shot.step('Passes');
    await expect(page.locator('.pass-row')).toHaveCount(11);
    await expect(page.locator('.pass-row', { has: page.getByLabel('Role of motion of TC_010_heron') })).toContainText('Motion');
    await page.getByRole('button', { name: 'Show depth' }).click();
    await expect(page.getByTestId('viewer-note')).toContainText('data, no display transform: channel Z, smaller is nearer');
  });

  await test.step('the reading is proposed beside what was measured, and taken', async () => {
    await shot.step('Motion');
    await expect(page.getByTestId('channel-evidence')).toContainText('of the pixels hold 0.000');
    await shot.agreeOnReading();
    await expect(shot.picture).toHaveAttribute('data-shows', /^directions/);
  });

  await test.step('the probe tells stored and decoded values', async () => {
    const box = await shot.picture.boundingBox();
    if (box === null) throw new Error('the picture has no place');
    // The body of the heron at the middle frame.
    await page.mouse.move(box.x + box.width * 0.5, box.y + box.height * 0.44);
    await expect(page.getByTestId('probe')).toContainText('nextX');
    await expect(page.getByTestId('probe')).toContainText('px a frame, right');
    await page.keyboard.press('p');
    await page.mouse.move(box.x + 5, box.y + 5);
    await expect(page.getByTestId('probes').getByText('px a frame, right')).toBeVisible();
  });

  await test.step('turning the axis around turns the decoded vectors around, and undo brings it back', async () => {
    const probe = page.getByTestId('probes');
    await page.getByText('x left', { exact: true }).click();
    await expect(probe).toContainText('px a frame, left');
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(probe).toContainText('px a frame, right');
  });

  await test.step('the shutter changes the picture', async () => {
    await shot.step('Shutter');
    await shot.exact();
    await page.locator('.viewer-bar').getByText('Blurred', { exact: true }).click();
    await shot.exact();
    const half = await shot.pixels();
    await page.getByRole('button', { name: '360 from the frame' }).click();
    await expect(page.getByLabel('Angle', { exact: true })).toHaveValue('360');
    await shot.exact();
    await expect.poll(() => shot.changeSince(half)).toBeGreaterThan(SAME);
    const whole = await shot.pixels();
    await page.keyboard.down('x');
    await expect.poll(() => shot.changeSince(whole)).toBeGreaterThan(SAME);
    await page.keyboard.up('x');
    await page.getByRole('button', { name: '180 centred' }).click();
    await expect.poll(() => shot.changeSince(half)).toBeLessThan(SAME);
  });

  await test.step('what is hidden comes from the frames around, or is made up', async () => {
    const report = page.getByTestId('blur-report');
    await expect(report).toContainText('before, this and after');
    await expect(report).not.toContainText('found for 0.0 %');
    await page.getByText('Made up', { exact: true }).click();
    await expect(report).toContainText('found for 0.0 %', { timeout: 30000 });
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(report).not.toContainText('found for 0.0 %', { timeout: 30000 });
    await shot.exact();
  });

  await test.step('an edge of the exposure is dragged', async () => {
    const edge = page.getByLabel('Shutter closes');
    await edge.scrollIntoViewIfNeeded();
    const box = await edge.boundingBox();
    if (box === null) throw new Error('the edge has no place');
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width / 2 + 30, box.y + box.height / 2, { steps: 4 });
    await page.mouse.up();
    await expect(page.getByLabel('Closes', { exact: true })).not.toHaveValue('0.25');
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(page.getByLabel('Closes', { exact: true })).toHaveValue('0.25');
  });

  await test.step('the sequence is delivered', async () => {
    await shot.step('Deliver');
    await page.getByLabel('Name', { exact: true }).fill('by_hand');
    await page.getByLabel('From', { exact: true }).fill('1011');
    await page.getByLabel('To', { exact: true }).fill('1013');
    await page.getByRole('button', { name: 'Render the sequence' }).click();
    await expect(page.getByTestId('delivery').first()).toHaveAttribute('data-state', 'done', { timeout: 300000 });
    expect(readdirSync(delivered('by_hand')).sort()).toEqual([
      'by_hand.1011.exr',
      'by_hand.1012.exr',
      'by_hand.1013.exr',
      'by_hand.report.html',
      'by_hand.sha256',
      'by_hand.shot.json',
    ]);
  });

  await test.step('what was delivered is the blur, valid to the reference library', async () => {
    const file = path.join(delivered('by_hand'), 'by_hand.1012.exr'),
      demo = path.join(ROOT, '.cache/demo/small/TC_010');
    expect(execFileSync('exrheader', [file], { encoding: 'utf8' })).toContain('framesPerSecond');
    const figures = JSON.parse(
      execFileSync(
        path.join(ROOT, 'ivrex'),
        ['compare', file, path.join(demo, 'TC_010_heron_blur180.1012.exr'), '--sharp', path.join(demo, 'TC_010_heron.1012.exr'), '--json'],
        { encoding: 'utf8' },
      ),
    ) as { maskedPsnr: number };
    expect(figures.maskedPsnr).toBeGreaterThan(34);
  });

  await test.step('ordered again, what is there is said to be the same and nothing is rendered', async () => {
    await expect(page.getByTestId('delivery-plan')).toContainText('all there and made of the same: nothing is to be rendered');
  });

  await test.step('a movie for review, which ffprobe confirms frame by frame', async () => {
    await page.getByTestId('form-card').getByText('Movie', { exact: true }).click();
    await page.getByLabel('Name', { exact: true }).fill('for_review');
    await page.getByLabel('Shot report beside it').uncheck();
    await expect(page.getByTestId('name-example')).toContainText('for_review/for_review.mp4');
    await page.getByRole('button', { name: 'Render the sequence' }).click();
    const card = page.getByTestId('delivery').filter({ hasText: 'for_review' });
    await expect(card).toHaveAttribute('data-state', 'done', { timeout: 120000 });
    const movie = path.join(delivered('for_review'), 'for_review.mp4');
    const args = [
      '-v',
      'error',
      '-select_streams',
      'v',
      '-show_frames',
      '-show_entries',
      'frame=pts_time,width,height,pix_fmt',
      '-of',
      'json',
      movie,
    ];
    const { frames } = JSON.parse(execFileSync('ffprobe', args, { encoding: 'utf8' })) as { frames: { pts_time: string }[] };
    expect(frames.map((f) => Math.round(Number(f.pts_time) * 24))).toEqual([0, 1, 2]);
    for (const frame of frames) expect(frame).toMatchObject({ width: 480, height: 270, pix_fmt: 'yuv420p' });
    // Each is a picture of its own: burnt-in numbers and the wing differ.
    const sums = execFileSync('ffmpeg', ['-v', 'error', '-i', movie, '-f', 'framemd5', '-'], { encoding: 'utf8' });
    expect(
      new Set(
        sums
          .split('\n')
          .filter((l) => /^0,/.test(l))
          .map((l) => l.split(',').pop()),
      ).size,
    ).toBe(3);
    await page.getByTestId('form-card').getByText('OpenEXR', { exact: true }).click();
  });

  await test.step('the shot is handed over as a document, and its settings are taken from one', async () => {
    const card = page.getByTestId('hand-over-card');
    const [download] = await Promise.all([page.waitForEvent('download'), card.getByRole('button', { name: /Shot$/ }).click()]);
    expect(download.suggestedFilename()).toBe(`${SHOT}.shot.json`);
    const file = await download.path();
    const document = JSON.parse(readFileSync(file, 'utf8')) as { deliver: { name: string }; sequences: { folder: string }[] };
    expect(document.deliver.name).toBe('for_review');
    expect(new Set(document.sequences.map((s) => s.folder))).toEqual(new Set(['.']));
    const address = `/api/shots/${/shots\/([^/]+)/.exec(page.url())?.[1] ?? ''}`;
    const label = async () => ((await (await page.request.get(address)).json()) as { state: { label: string } }).state.label;
    await card.locator('input[type=file]').setInputFiles({ name: 'tide.json', mimeType: 'application/json', buffer: Buffer.from('{ no') });
    await expect(card.getByRole('alert')).toContainText('ide.json is not JSON.');
    await card.locator('input[type=file]').setInputFiles(file);
    await expect.poll(label).toBe(`settings of ${SHOT} from a document`);
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect.poll(label).not.toBe(`settings of ${SHOT} from a document`);
  });

  await test.step('the queue tells of all shots, and who renders', async () => {
    await page.goto('/queue');
    await expect(page.getByTestId('workers')).toContainText('worker 1');
    const rows = page.getByTestId('queue').locator('.ant-table-row');
    await page.getByLabel('Search the queue').fill(SHOT);
    await expect(rows.filter({ hasText: 'by_hand' }).or(rows.filter({ hasText: 'for_review' }))).toHaveCount(2);
    await page.getByLabel('Search the queue').fill('for_review');
    await expect(rows).toHaveCount(1);
    await rows.getByRole('link', { name: SHOT }).click();
  });

  await test.step('nothing is lost by a reload', async () => {
    await page.reload();
    await expect(page.getByTestId('delivery').first()).toHaveAttribute('data-state', 'done');
    await expect(page.getByRole('navigation', { name: 'Steps' })).toContainText('agreed');
  });
});

test('a delivery is cancelled, and the rest is rendered later', async ({ page }) => {
  await ShotPage.open(page, 'TC_010', { as: SHOT, agreed: true, only: HERON, step: 'deliver' });
  await page.getByLabel('Name', { exact: true }).fill('cut_short');
  await page.getByLabel('From', { exact: true }).fill('1005');
  await page.getByLabel('To', { exact: true }).fill('1014');
  await page.getByLabel('Shot report beside it').uncheck();
  await page.getByRole('button', { name: 'Render the sequence' }).click();
  const card = page.getByTestId('delivery').filter({ hasText: 'cut_short' });
  await expect(card.locator('.frame-cells .done').first()).toBeVisible();
  await card.getByRole('button', { name: 'Cancel' }).click();
  await expect(card).toHaveAttribute('data-state', 'cancelled');
  const folder = delivered('cut_short');
  expect(existsSync(folder)).toBe(true);
  await expect.poll(() => readdirSync(folder).filter((name) => name.endsWith('.part'))).toEqual([]);
  expect(readdirSync(folder).length).toBeLessThan(10);
  await card.getByRole('button', { name: 'Render what is missing' }).click();
  await card.getByRole('button', { name: 'Pause' }).click();
  await expect(card).toHaveAttribute('data-state', 'paused');
  await expect(card.locator('.frame-cells .running')).toHaveCount(0);
  await card.getByRole('button', { name: 'Go on' }).click();
  await expect(card).toHaveAttribute('data-state', 'done', { timeout: 300000 });
  expect(readdirSync(folder).filter((name) => name.endsWith('.exr'))).toHaveLength(10);
});
