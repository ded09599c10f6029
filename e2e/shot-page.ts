import { linkSync, mkdirSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { expect, type Locator, type Page } from '@playwright/test';
import { dataFolder } from './fixtures';
import { STORED } from './stored';

const ROOT = path.join(import.meta.dirname, '..');
/** The demo production at half its size. */
export const SMALL = path.join(ROOT, '.cache/demo/small');

/** Less than this is rounding, more is another picture (mean 8-bit steps). */
export const SAME = 0.02;

export interface OwnShot {
  /** The name that it goes by; the demo shot's when missing. */
  readonly as?: string;
  /** Its encoding is agreed: measuring it is another test's claim. */
  readonly agreed?: boolean;
  /** Files that it has; all of the demo shot's when missing. The fewer, the sooner it is brought in and shown. */
  readonly only?: RegExp;
  /** Where its page opens; at its passes when missing. */
  readonly step?: 'passes' | 'motion' | 'shutter' | 'match' | 'assemble' | 'deliver';
}

/** What most tests look at: the heron and its plate. */
export const HERON = /heron\.|plate/;

let shots = 0;

/** A shot of this test's own: the demo's frames, linked into a folder of their own. Returns its id. */
export async function ownShot(page: Page, name: string, { as = name, agreed = false, only = /./ }: OwnShot = {}): Promise<string> {
  const folder = path.join(dataFolder(), 'media', `own ${process.pid} ${++shots}`, as);
  linkFolder(path.join(SMALL, name), folder, only);
  const made = await page.request.post('/api/shots', { data: { folder } });
  expect(made.ok(), await made.text()).toBe(true);
  const { id } = (await made.json()) as { id: string };
  if (agreed) {
    type Detail = {
      settings: { elements: object[]; offsets: object };
      state: { sequence: number };
      passes: { sequenceId: string; guess: { role: string } }[];
    };
    const { settings, state, passes } = (await (await page.request.get(`/api/shots/${id}`)).json()) as Detail;
    const [first, ...others] = settings.elements,
      motion = passes.find((p) => p.guess.role === 'motion')?.sequenceId ?? '';
    const decided = {
      ...settings,
      elements: [{ ...first, encoding: STORED[name] }, ...others],
      offsets: name === 'TC_020' ? { ...settings.offsets, [motion]: 1 } : settings.offsets,
    };
    const change = { settings: decided, label: 'Reading', basedOn: state.sequence };
    const reply = await page.request.put(`/api/shots/${id}/settings`, { data: change });
    expect(reply.ok(), await reply.text()).toBe(true);
  }
  return id;
}

function linkFolder(from: string, to: string, only: RegExp): void {
  mkdirSync(to, { recursive: true });
  for (const entry of readdirSync(from, { withFileTypes: true })) {
    const [a, b] = [path.join(from, entry.name), path.join(to, entry.name)];
    if (entry.isDirectory()) linkFolder(a, b, only);
    else if (only.test(entry.name)) linkSync(a, b);
  }
}

/** What a person does and sees on a shot's page. */
export class ShotPage {
  readonly picture: Locator;
  constructor(readonly page: Page) {
    this.picture = page.getByTestId('picture-canvas');
  }

  /** The page of a shot of this test's own. */
  static async open(page: Page, name: string, own: OwnShot = {}): Promise<ShotPage> {
    await page.goto(`/shots/${await ownShot(page, name, own)}/${own.step ?? 'passes'}`);
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

  /** What the canvas shows, thinned to 160 x 100, RGBA 0..255. As text it crosses to here at once; a list of numbers takes half a second. */
  async pixels(): Promise<Uint8Array> {
    const text = await this.picture.evaluate((canvas: HTMLCanvasElement) => {
      const small = document.createElement('canvas');
      Object.assign(small, { width: 160, height: 100 });
      const context = small.getContext('2d', { willReadFrequently: true });
      context?.drawImage(canvas, 0, 0, 160, 100);
      return Array.from(context?.getImageData(0, 0, 160, 100).data ?? [], (v) => String.fromCharCode(v)).join('');
    });
    return Uint8Array.from(text, (letter) => letter.charCodeAt(0));
  }

  /** Mean difference to an earlier look, in 8-bit steps. The heron is a small part of the picture: 0.2 is a plain change. */
  async changeSince(before: Uint8Array): Promise<number> {
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

  /** Has the encoding measured, and takes what is proposed. */
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
