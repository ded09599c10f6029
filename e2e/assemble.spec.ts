import { execFileSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import path from 'node:path';
import { dataFolder, expect, test } from './fixtures';
import { SAME, ShotPage } from './shot-page';

const ROOT = path.join(import.meta.dirname, '..');
const TRUTH = path.join(ROOT, '.cache/demo/small/TC_010/TC_010_whole_ref.1008.exr');

test('heron, shadow and reeds over the plate: put in, ordered, graded, grained, compared and delivered', async ({ page }) => {
  test.setTimeout(600000);
  const shot = await ShotPage.open(page, 'TC_010', { agreed: true, only: /heron\.|plate|reeds|shadow/, step: 'assemble' });
  const stack = page.getByTestId('stack-card'),
    names = stack.locator('.stack .name');
  await shot.assembled();
  const alone = await shot.pixels();

  await test.step('what the shot has is proposed and put in, each in its place', async () => {
    await expect(page.getByTestId('proposal-card')).toContainText('TC_010_shadow is a shadow');
    await page.getByRole('button', { name: 'Put them in' }).click();
    await expect(names).toHaveText(['TC_010_reeds', 'TC_010_heron', 'TC_010_shadow']);
    await expect(page.getByTestId('proposal-card')).toHaveCount(0);
    await shot.assembled();
    await expect.poll(() => shot.changeSince(alone)).toBeGreaterThan(SAME);
    // The shadow's motion is read as the heron's is.
    await stack.getByRole('button', { name: 'TC_010_shadow', exact: true }).click();
    await expect(page.getByTestId('element-card')).toContainText('as TC_010_heron is, also when that changes');
    await expect(page.getByTestId('element-card').locator('tbody tr')).toHaveCount(2);
  });

  await test.step('an element is hidden, shown alone, and moved by the keyboard; undo brings it back', async () => {
    const together = await shot.pixels();
    await stack.getByRole('button', { name: 'Hide TC_010_heron' }).click();
    await shot.assembled();
    await expect.poll(() => shot.changeSince(together)).toBeGreaterThan(SAME);
    await stack.getByRole('button', { name: 'Show TC_010_heron' }).click();
    await expect.poll(() => shot.changeSince(together)).toBeLessThan(SAME / 10);
    await stack.getByRole('button', { name: 'TC_010_reeds alone' }).click();
    await expect.poll(() => shot.changeSince(together)).toBeGreaterThan(5);
    await stack.getByRole('button', { name: 'TC_010_reeds alone' }).click();
    await expect.poll(() => shot.changeSince(together)).toBeLessThan(SAME / 10);
    await stack.getByRole('button', { name: /^Move TC_010_reeds/ }).focus();
    // The list says what it does while it is dragged by keys.
    const told = page.locator('[id^="DndLiveRegion"]');
    await page.keyboard.press('Space');
    await expect(told).toContainText('TC_010_reeds is at place 1 of 3');
    await page.keyboard.press('ArrowDown');
    await expect(told).toContainText('TC_010_reeds is at place 2 of 3');
    await page.keyboard.press('Space');
    await expect(names).toHaveText(['TC_010_heron', 'TC_010_reeds', 'TC_010_shadow']);
    await page.keyboard.press('Control+z');
    await expect(names).toHaveText(['TC_010_reeds', 'TC_010_heron', 'TC_010_shadow']);
    await shot.assembled();
  });

  await test.step('dragged with the mouse it takes its place as well', async () => {
    const from = await stack.getByRole('button', { name: /^Move TC_010_shadow/ }).boundingBox(),
      to = await stack.getByRole('button', { name: /^Move TC_010_reeds/ }).boundingBox();
    if (from === null || to === null) throw new Error('the handles have no place');
    await page.mouse.move(from.x + 8, from.y + 8);
    await page.mouse.down();
    await page.mouse.move(from.x + 8, from.y - 20, { steps: 4 });
    await page.mouse.move(to.x + 8, to.y, { steps: 6 });
    await page.mouse.up();
    await expect(names).toHaveText(['TC_010_shadow', 'TC_010_reeds', 'TC_010_heron']);
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect(names).toHaveText(['TC_010_reeds', 'TC_010_heron', 'TC_010_shadow']);
  });

  await test.step('an object that is picked in the picture is all that stays of the heron; picked again all of it is back', async () => {
    await stack.getByRole('button', { name: 'TC_010_heron', exact: true }).click();
    const together = await shot.pixels();
    const card = page.getByTestId('element-card');
    await card.getByRole('button', { name: 'Pick objects in the picture' }).click();
    const box = await shot.picture.boundingBox();
    if (box === null) throw new Error('the picture has no place');
    // The heron's body in frame 1012.
    const body = { x: box.x + box.width * 0.47, y: box.y + box.height * 0.43 };
    await page.mouse.click(body.x, body.y);
    await expect(card).toContainText('1 object');
    await shot.assembled();
    await expect.poll(() => shot.changeSince(together)).toBeGreaterThan(SAME);
    await page.mouse.click(body.x, body.y);
    await expect(card.getByText('all that it covers')).toBeVisible();
    await shot.assembled();
    await expect.poll(() => shot.changeSince(together)).toBeLessThan(SAME / 10);
    await card.getByRole('button', { name: /done$/ }).click();
  });

  await test.step('colour before and after the blur differ in the picture, and the streak says by how much', async () => {
    await stack.getByRole('button', { name: 'TC_010_heron', exact: true }).click();
    const grade = page.getByTestId('grade-card');
    const plain = await shot.pixels();
    const contrast = grade.getByRole('spinbutton', { name: 'Contrast' });
    await contrast.fill('2');
    await contrast.press('Enter');
    await shot.assembled();
    await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(SAME);
    await expect(page.getByTestId('streak-plot')).toContainText(/Graded before the blur \(line\) it reaches \d/);
    const before = await shot.pixels();
    await grade.getByText('After the blur', { exact: true }).click();
    await expect.poll(() => shot.changeSince(before)).toBeGreaterThan(SAME / 2);
    await grade.getByRole('button', { name: 'As it was' }).click();
    await shot.assembled();
    await expect.poll(() => shot.changeSince(plain)).toBeLessThan(SAME / 10);
    // A point of the curve by keys: lower highlights.
    const point = grade.getByRole('slider', { name: 'Brightness curve, point 2 of 2' });
    await point.focus();
    await page.keyboard.press('Shift+ArrowDown');
    await shot.assembled();
    await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(SAME / 2);
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect.poll(() => shot.changeSince(plain)).toBeLessThan(SAME / 10);
  });

  await test.step('grain is measured in the plate and put on the CG, corners darken', async () => {
    const plain = await shot.pixels();
    const finish = page.getByTestId('finish-card');
    await finish.getByRole('button', { name: 'Measure it in the plate' }).click();
    const box = await shot.picture.boundingBox();
    if (box === null) throw new Error('the picture has no place');
    await page.mouse.move(box.x + box.width * 0.55, box.y + box.height * 0.2);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.8, box.y + box.height * 0.3, { steps: 4 });
    await page.mouse.up();
    await expect(finish).toContainText(/From \d+ even blocks: red, green and blue stray by [\d.]+, [\d.]+, [\d.]+ %/);
    await shot.assembled();
    await finish.getByRole('switch', { name: 'Grain of the plate on the CG' }).click();
    await finish.getByRole('switch', { name: 'Darker corners' }).click();
    await shot.assembled();
    await expect.poll(() => shot.changeSince(plain)).toBeGreaterThan(1);
    await finish.getByRole('switch', { name: 'Darker corners' }).click();
    await expect.poll(() => shot.changeSince(plain)).toBeLessThan(SAME / 10);
  });

  await test.step('the server makes the same picture', async () => {
    await page.locator('h2', { hasText: 'Assemble' }).click();
    const here = await shot.pixels();
    await shot.step('Match');
    await page.getByRole('combobox', { name: 'Picture A', exact: true }).click();
    await page.locator('.ant-select-dropdown:visible .ant-select-item-option', { hasText: 'Assembled, as set' }).click();
    await page.getByTestId('compare-card').getByText('Flick', { exact: true }).click();
    await expect(shot.picture).toHaveAttribute('data-shows', /^compare:flick:ready/, { timeout: 60000 });
    await expect.poll(() => shot.changeSince(here)).toBeLessThan(SAME);
  });

  await test.step('one frame is delivered, near to the whole scene exposed in one go', async () => {
    await shot.step('Deliver');
    await expect(page.getByText('All elements put together over the plate')).toBeVisible();
    await page.getByLabel('Name', { exact: true }).fill('together');
    for (const end of ['From', 'To']) await page.getByLabel(end, { exact: true }).fill('1008');
    await page.getByLabel('Shot report beside it').uncheck();
    await page.getByRole('button', { name: 'Render the sequence' }).click();
    await expect(page.getByTestId('delivery').first()).toHaveAttribute('data-state', 'done', { timeout: 120000 });
    const file = path.join(dataFolder(), 'deliveries/TC_010/together/together.1008.exr');
    expect(existsSync(file)).toBe(true);
    const { psnr } = JSON.parse(execFileSync('./ivrex', ['compare', file, TRUTH, '--json'], { cwd: ROOT, encoding: 'utf8' })) as {
      psnr: number;
    };
    expect(psnr).toBeGreaterThan(50);
  });
});
