import type { Raster, ShotSettings } from '@ivrex/contract';
import { emptyMotionField, HIDDEN_MADE_UP, HIDDEN_SEEN, type BlurPlan, type Shutter } from '@ivrex/core';
import { drawShown, nameOfShown } from '../src/viewer/draw-shown';
import type { DrawState, GlPicture, TexturePixels, TextureSlot } from '../src/viewer/gl-picture';
import { isPlanLook, showPlan } from '../src/viewer/plan-looks';
import type { SeenView, Shown } from '../src/viewer/use-shown';
import { useView } from '../src/viewer/view-store';
import type { BlurPreview } from '../src/workers/blur-preview';

/** Notes what it is given. */
class FakeGl {
  readonly textures = new Map<TextureSlot, TexturePixels>();
  drawn: DrawState | null = null;
  setTexture(slot: TextureSlot, pixels: TexturePixels): void {
    this.textures.set(slot, pixels);
  }
  setLut(): void {}
  draw(state: DrawState): void {
    this.drawn = state;
  }
}

const halves = (width: number) => ({ width, height: 2, halves: new Uint16Array(width * 8) });
const raster = (width: number): Raster =>
  ({ header: { width, height: 2, format: 'rgba16f', names: ['R', 'G', 'B', 'A'] }, planes: [new Uint16Array(width * 8)] }) as Raster;
const shownOf = (over: Partial<Shown> = {}): Shown => ({
  main: raster(4),
  state: { status: 'ready', raster: raster(4) },
  beauty: raster(4),
  plate: null,
  data: null,
  whole: null,
  isPassing: true,
  sideA: null,
  sideB: null,
  blurred: null,
  width: 4,
  height: 2,
  peak: 12,
  ...over,
});
const viewOf = (over: Partial<SeenView>): SeenView => ({ ...useView.getState(), ...over });
const blurred = { ...halves(5), frame: 1004, quality: 'final', slices: 9, milliseconds: 12.4 } as unknown as Shown['blurred'];

function draw(shown: Shown, view: SeenView, transform: ShotSettings['displayTransform'] = 'srgb') {
  const gl = new FakeGl();
  drawShown(gl as unknown as GlPicture, shown, view, {
    placement: { x: 0, y: 0, zoom: 1 },
    edge: { x: 0.5, y: 0.5, toX: 1, toY: 0 },
    transform,
  });
  return { state: gl.drawn, widths: Object.fromEntries([...gl.textures].map(([slot, { width }]) => [slot, width])) };
}

describe('what goes to the screen', () => {
  test('the beauty alone, and its blur beside it when it is there', () => {
    expect(draw(shownOf(), viewOf({ look: 'sharp' }))).toMatchObject({
      widths: { a: 4 },
      state: { mode: 'a', isData: false, transform: 'srgb' },
    });
    expect(draw(shownOf({ blurred }), viewOf({ look: 'blurred' }))).toMatchObject({ widths: { a: 4, b: 5 }, state: { mode: 'b' } });
    expect(draw(shownOf(), viewOf({ look: 'blurred' })).state?.mode).toBe('a');
  });
  test('the assembled picture and data take its place; data go through no transform', () => {
    const whole = { ...halves(7), frame: 1004, quality: 'draft', milliseconds: 3 } as unknown as Shown['whole'];
    expect(draw(shownOf({ whole }), viewOf({ look: 'assembled' })).widths).toEqual({ a: 7 });
    const data = { width: 6, height: 2, rgba: new Float32Array(48), note: '' };
    expect(draw(shownOf({ data }), viewOf({ look: 'trust' }))).toMatchObject({ widths: { a: 6 }, state: { isData: true } });
  });
  test('two sides of a comparison, as far as they are there', () => {
    const view = viewOf({ look: 'compare' });
    expect(draw(shownOf({ sideA: halves(8), sideB: halves(9), blurred }), view).widths).toEqual({ a: 8, b: 9 });
    expect(draw(shownOf({ sideB: halves(9) }), view)).toMatchObject({ widths: { b: 9 }, state: { mode: 'b' } });
  });
  test('vectors only where they are looked at', () => {
    const field = emptyMotionField(3, 2, false);
    expect(draw(shownOf(), viewOf({ look: 'directions', field }))).toMatchObject({
      widths: { a: 4, field: 3 },
      state: { mode: 'directions', peakSpeed: 12 },
    });
    expect(draw(shownOf(), viewOf({ look: 'sharp', field })).widths).toEqual({ a: 4 });
  });
  test('a plate that has not arrived leaves the checker; a table that has not arrived leaves the light as it is', () => {
    expect(draw(shownOf(), viewOf({ look: 'sharp', under: 'plate' })).state?.under).toBe('checker');
    expect(draw(shownOf({ plate: raster(3) }), viewOf({ look: 'sharp', under: 'plate' }))).toMatchObject({
      widths: { plate: 3 },
      state: { under: 'plate' },
    });
    const table = { lut: 'evening', input: 'srgb' } as unknown as ShotSettings['displayTransform'];
    expect(draw(shownOf(), viewOf({ look: 'sharp', lut: null }), table).state).toMatchObject({ transform: 'linear', lutInput: 'srgb' });
    expect(draw(shownOf(), viewOf({ look: 'sharp', lut: {} as never }), table).state?.transform).toBe('lut');
  });
});

test('what is shown has a name: draft, final, or about to be followed by another', () => {
  expect(nameOfShown(shownOf({ blurred }), viewOf({ look: 'blurred' }))).toBe('blurred:final:12');
  expect(nameOfShown(shownOf({ blurred: { ...blurred, isOld: true } as Shown['blurred'] }), viewOf({ look: 'wipe' }))).toBe('wipe:old:12');
  expect(nameOfShown(shownOf(), viewOf({ look: 'sharp' }))).toBe('sharp:none:0');
  const whole = { quality: 'final', milliseconds: 7.6 } as Shown['whole'];
  expect(nameOfShown(shownOf({ whole, isPassing: false }), viewOf({ look: 'assembled' }))).toBe('assembled:final:8');
  expect(nameOfShown(shownOf({ whole, isPassing: true }), viewOf({ look: 'assembled' }))).toBe('assembled:old:8');
  expect(nameOfShown(shownOf(), viewOf({ look: 'compare' }))).toBe('compare:wipe:none:none');
});

describe('what a blur is made from', () => {
  const plan = {
    width: 4,
    height: 1,
    layers: [{}, {}],
    layerOf: Uint16Array.of(0, 1, 2, 2),
    hidden: Uint8Array.of(0, HIDDEN_SEEN, HIDDEN_MADE_UP, 0),
  } as unknown as BlurPlan;
  const preview = { figure: () => Promise.resolve(Float32Array.of(0, 3, 12, 48)) } as unknown as BlurPreview;
  const look = (name: Parameters<typeof showPlan>[0], samples: 'auto' | number = 'auto', blurred: unknown = null) =>
    showPlan(name, plan, {} as Shutter, samples, preview, blurred as never);
  const pixel = ({ rgba }: { rgba: Float32Array }, i: number) => [...rgba.slice(i * 4, i * 4 + 3)].map((v) => Number(v.toFixed(3)));

  test('a colour a layer, the same for the same, none for nothing', async () => {
    const shown = await look('layers');
    expect(shown.note).toBe('2 layers, a colour each');
    expect(pixel(shown, 2)).toEqual(pixel(shown, 3));
    expect(pixel(shown, 1)).not.toEqual(pixel(shown, 2));
    expect(Math.max(...pixel(shown, 0))).toBeLessThan(0.1);
  });
  test('what was found behind things, and what was made up, in shares', async () => {
    const shown = await look('hidden');
    expect(shown.note).toContain('25.0 % of the picture found elsewhere');
    expect(shown.note).toContain('25.0 % made up');
    expect(new Set([1, 2, 3].map((i) => String(pixel(shown, i)))).size).toBe(3);
  });
  test('bends and slices say the most there is; too few slices are marked', async () => {
    expect((await look('bends')).note).toContain('up to 48.0 px');
    expect((await look('slices')).note).toMatch(/^slices that the travel needs: up to \d+$/);
    const few = await look('slices', 8);
    expect(few.note).toContain('8 slices: up to 6.00 px each');
    const [red, , blue] = pixel(few, 3);
    expect(red).toBeGreaterThan(4 * blue);
  });
  test('what comes from the neighbours is shown once the exact picture is there', async () => {
    const exact = { quality: 'final', report: { mixed: ['before', 'after'], mixedShare: 0.31 } };
    const shares = { across: 1, down: 1, values: Float32Array.of(0.42) };
    const shown = await look('frames', 'auto', { ...exact, neighbourShares: shares });
    expect(shown.note).toBe('from the frame before and the frame after: 31 % in all, up to 42 % where it is bright');
    expect(pixel(shown, 1)).toEqual(pixel(shown, 3));
    expect(Math.min(...pixel(shown, 1))).toBeGreaterThan(Math.max(...pixel(shown, 0)));
    expect((await look('frames', 'auto', { ...exact, neighbourShares: null })).note).toBe('this frame alone');
    for (const passing of [null, { ...exact, quality: 'draft' }, { ...exact, isOld: true }])
      expect((await look('frames', 'auto', passing)).note).toContain('on its way');
  });
  test('these looks are known', () =>
    expect((['layers', 'bends', 'hidden', 'slices', 'frames', 'sharp', 'trust'] as const).map(isPlanLook)).toEqual([
      ...Array.from({ length: 5 }, () => true),
      false,
      false,
    ]));
});
