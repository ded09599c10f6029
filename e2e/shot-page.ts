import { expect, type Locator, type Page } from '@playwright/test';

/** Less than this is rounding, more is another picture (mean 8-bit steps). */
export const SAME = 0.02;

/** Takes back all that earlier tests did to a shot of this application. */
export async function untouched(page: Page, name: string): Promise<void> {
  const shots = (await (await page.request.get('/api/shots')).json()) as { id: string; name: string }[];
  const shot = shots.find((s) => s.name === name);
  if (shot === undefined) return;
  for (;;) {
    const detail = (await (await page.request.get(`/api/shots/${shot.id}`)).json()) as { state: { undo: string | null } };
    if (detail.state.undo === null) return;
    await page.request.post(`/api/shots/${shot.id}/undo`, { data: {} });
  }
}

/** What a person does and sees on a shot's page. */
export class ShotPage {
  readonly picture: Locator;
  constructor(readonly page: Page) {
    this.picture = page.getByTestId('picture-canvas');
  }

  static async open(page: Page, name: string): Promise<ShotPage> {
    await page.goto('/');
    await page.locator('.shot-card', { hasText: name }).click();
    const shot = new ShotPage(page);
    await shot.loaded();
    return shot;
  }

  /** The frame's picture has arrived and is drawn. */
  async loaded(): Promise<void> {
    await expect(this.picture).toHaveAttribute('data-frame', /\d/);
  }

  async step(name: 'Passes' | 'Motion' | 'Shutter' | 'Match' | 'Assemble' | 'Deliver'): Promise<void> {
    await this.page.getByRole('navigation', { name: 'Steps' }).getByRole('link', { name }).click();
  }

  /** What the canvas shows, thinned to 160 x 100, RGBA 0..255. */
  async pixels(): Promise<number[]> {
    return this.picture.evaluate((canvas: HTMLCanvasElement) => {
      const small = document.createElement('canvas');
      Object.assign(small, { width: 160, height: 100 });
      const context = small.getContext('2d');
      context?.drawImage(canvas, 0, 0, 160, 100);
      return Array.from(context?.getImageData(0, 0, 160, 100).data ?? []);
    });
  }

  /** Mean difference to an earlier look, in 8-bit steps. The heron is a small part of the picture: 0.2 is a plain change. */
  async changeSince(before: readonly number[]): Promise<number> {
    const now = await this.pixels();
    return now.reduce((sum, v, i) => sum + Math.abs(v - before[i]), 0) / now.length;
  }

  /** Waits until the exact blur is on screen. */
  async exact(): Promise<void> {
    await expect(this.picture).toHaveAttribute('data-shows', /^(blurred|wipe):final/);
    await expect(this.page.getByTestId('viewer-note')).toContainText('exact');
  }

  /** Waits until the exact assembled picture is on screen. */
  async assembled(): Promise<void> {
    await expect(this.picture).toHaveAttribute('data-shows', /^assembled:final/, { timeout: 90000 });
  }

  async agreeOnReading(): Promise<void> {
    await this.step('Motion');
    const take = this.page.getByRole('button', { name: 'Take this reading' }),
      cards = this.page.getByText('How far is full scale?');
    // Measuring a frame takes a few seconds.
    await expect(take.or(cards).first()).toBeVisible({ timeout: 120000 });
    if (!(await cards.isVisible())) await take.click();
    await expect(cards).toBeVisible();
  }
}
