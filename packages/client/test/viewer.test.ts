import { measureChannel } from '../src/features/motion/measure-channel';
import { showData } from '../src/viewer/data-picture';
import { halfToNumber } from '@ivrex/core';
import { fitPlacement, onPicture, oneToOne, zoomAt } from '../src/viewer/placement';

const CANVAS = { width: 900, height: 620 },
  PICTURE = { width: 960, height: 540 };

test('a fitted picture lies inside the canvas, centred', () => {
  const p = fitPlacement(CANVAS, PICTURE);
  expect(p.x).toBeGreaterThan(0);
  expect(p.x * 2 + PICTURE.width * p.zoom).toBeCloseTo(CANVAS.width, -0.5);
  expect(p.y * 2 + PICTURE.height * p.zoom).toBeCloseTo(CANVAS.height, -0.5);
});

test('zooming keeps the point under the pointer, up to its limits', () => {
  let p = fitPlacement(CANVAS, PICTURE);
  const at = { x: 333, y: 217 },
    before = onPicture(p, at);
  for (const factor of [1.5, 3, 0.2, 100, 100, 1e-9]) {
    p = zoomAt(p, at, factor);
    expect(onPicture(p, at).x).toBeCloseTo(before.x, 6);
    expect(onPicture(p, at).y).toBeCloseTo(before.y, 6);
    expect(p.zoom).toBeLessThanOrEqual(256);
    expect(p.zoom).toBeGreaterThan(0);
  }
  expect(oneToOne(p, CANVAS).zoom).toBeCloseTo(1, 9);
});

test('halves as numbers', () => {
  expect([0x3c00, 0xc000, 0x0001, 0x7bff, 0x8000].map(halfToNumber)).toEqual([1, -2, 2 ** -24, 65504, -0]);
  expect([halfToNumber(0x7c00), halfToNumber(0x7e01)]).toEqual([Infinity, NaN]);
});

test('the rest value is the one most pixels hold, and NaN is counted apart', () => {
  const m = measureChannel(Float32Array.of(0.5, 0.5, 0.5, 1, 0, NaN));
  expect([m.min, m.max, m.rest, m.restShare, m.bad]).toEqual([0, 1, 0.5, 0.5, 1]);
  expect(m.histogram.reduce((sum, bin) => sum + bin.count, 0)).toBe(2);
  expect(measureChannel(Float32Array.of(NaN))).toMatchObject({ bad: 1, histogram: [] });
});

test('data are shown by a scaling that is said, and are not changed', () => {
  const depth = Float32Array.of(0, 9, 10, 11);
  const shown = showData({ header: { width: 4, height: 1, format: 'planes32f', names: ['Z'] }, planes: [depth] }, 'depth');
  expect(shown.note).toBe('Z from 9.000 to 11.00, near is bright');
  expect([...shown.rgba.filter((_, i) => i % 4 === 0)].map((v) => Number(v.toFixed(3)))).toEqual([0, 1, 0.575, 0.15]);
  expect([...depth]).toEqual([0, 9, 10, 11]);
  const motion = showData(
    { header: { width: 2, height: 1, format: 'planes32f', names: ['x', 'y'] }, planes: [Float32Array.of(0, -4), Float32Array.of(0, 2)] },
    'motion',
  );
  expect([...motion.rgba.slice(0, 2), ...motion.rgba.slice(4, 6)]).toEqual([0.5, 0.5, 0, 0.75]);
});
