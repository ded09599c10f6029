import { expect, test } from '@playwright/test';
import { ShotPage } from './shot-page';

declare global {
  interface Window {
    /** The time from the key to the draft. */
    drawn: Promise<number>;
  }
}

/** From a key on a shutter value to the new draft on the canvas, in the real page. */
test('time from a change to its picture', async ({ page }) => {
  const shot = await ShotPage.open(page, 'TC_010');
  await shot.agreeOnReading();
  await shot.step('Shutter');
  await page.keyboard.press('b');
  await shot.exact();
  for (const label of ['Closes', 'All frames']) {
    const field = page.getByLabel(label, { exact: true }),
      times: number[] = [];
    await field.focus();
    for (let i = 0; i < 12; i++) {
      // Listening before the key is pressed: `evaluate` alone could come after it.
      await page.evaluate(() => {
        const canvas = document.querySelector<HTMLCanvasElement>('[data-testid="picture-canvas"]');
        if (canvas === null) throw new Error('no canvas');
        window.drawn = new Promise<number>((resolve) => {
          const pressed = () => {
            const start = performance.now();
            const observer = new MutationObserver(() => {
              if (!/:draft:/.test(canvas.dataset.shows ?? '')) return;
              observer.disconnect();
              resolve(performance.now() - start);
            });
            observer.observe(canvas, { attributes: true });
          };
          window.addEventListener('keydown', pressed, { capture: true, once: true });
        });
      });
      // Always on: of values that were there before the exact picture is kept, and no draft is made.
      await page.keyboard.press('ArrowUp');
      times.push(await page.evaluate(() => window.drawn));
      await shot.exact();
    }
    const sorted = [...times].sort((a, b) => a - b);
    process.stdout.write(
      `\n${label}: change to draft on screen, median ${sorted[6].toFixed(0)} ms, slowest ${sorted[11].toFixed(0)} ms; goal 50 ms (ratio ${(sorted[6] / 50).toFixed(2)} of the goal)\n`,
    );
    expect(times).toHaveLength(12);
  }
});
