import { expect, test } from '@playwright/test';
import { ShotPage } from './shot-page';

/** From a key on a shutter value to the new draft on the canvas, in the real page. */
test('time from a change to its picture', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010');
  await shot.agreeOnReading();
  await shot.step('Shutter');
  await page.keyboard.press('b');
  await shot.exact();
  for (const label of ['Closes', 'All frames']) {
    const times = await page.getByLabel(label, { exact: true }).evaluate(async (input: HTMLInputElement) => {
      const canvas = document.querySelector<HTMLCanvasElement>('[data-testid="picture-canvas"]');
      if (canvas === null) throw new Error('no canvas');
      const times: number[] = [];
      for (let i = 0; i < 12; i++) {
        const start = performance.now();
        const drawn = new Promise<number>((resolve) => {
          const observer = new MutationObserver(() => {
            if (!/:draft:/.test(canvas.dataset.shows ?? '')) return;
            observer.disconnect();
            resolve(performance.now() - start);
          });
          observer.observe(canvas, { attributes: true });
        });
        input.dispatchEvent(new KeyboardEvent('keydown', { key: i % 2 ? 'ArrowUp' : 'ArrowDown', bubbles: true }));
        times.push(await drawn);
        // To rest: the exact picture, then the next change.
        await new Promise((resolve) => {
          setTimeout(resolve, 1200);
        });
      }
      return times;
    });
    const sorted = [...times].sort((a, b) => a - b);
    process.stdout.write(
      `\n${label}: change to draft on screen, median ${sorted[6].toFixed(0)} ms, slowest ${sorted[11].toFixed(0)} ms; goal 100 ms (ratio ${(sorted[6] / 100).toFixed(2)} of the goal)\n`,
    );
    expect(times).toHaveLength(12);
  }
});
