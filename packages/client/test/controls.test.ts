import type { ShutterPlan } from '@ivrex/core';
import { movedExposure } from '../src/features/shutter/move-exposure';
import { dragged, limited, nudged } from '../src/ui/number-steps';

const STEPS = { step: 0.1, min: -1, max: 2, digits: 3 },
  PLAIN = { shiftKey: false, altKey: false };

test('a number is nudged by its step, ten steps, or a tenth of one, and stays within its limits', () => {
  expect(nudged(0.3, 'ArrowUp', PLAIN, STEPS)).toBe(0.4);
  expect(nudged(0.3, 'ArrowDown', { ...PLAIN, shiftKey: true }, STEPS)).toBe(-0.7);
  expect(nudged(0.3, 'ArrowUp', { ...PLAIN, altKey: true }, STEPS)).toBe(0.31);
  expect(nudged(1.95, 'ArrowUp', PLAIN, STEPS)).toBe(2);
  expect(nudged(0.3, 'Enter', PLAIN, STEPS)).toBeNull();
});

test('three pixels of dragging are a step, counted from where it began', () => {
  expect([0, 2, 4, -30, 3000].map((pixels) => dragged(0.5, pixels, PLAIN, STEPS))).toEqual([0.5, 0.6, 0.6, -0.5, 2]);
  expect(dragged(0.5, 6, { ...PLAIN, shiftKey: true }, STEPS)).toBe(2);
  expect(limited(0.12345, STEPS)).toBe(0.123);
});

const shutter: ShutterPlan = { opens: -0.25, closes: 0.25, strength: 1, keys: [], floorPx: null, ceilingPx: null };
const ends = ({ opens, closes }: ShutterPlan) => [opens, closes].map((t) => Number(t.toFixed(4)));

test('an edge of the exposure stops at the other edge and at the end of the interval', () => {
  expect(ends(movedExposure('closes', shutter, 0.1234))).toEqual([-0.25, 0.37]);
  expect(ends(movedExposure('closes', shutter, 5))).toEqual([-0.25, 1]);
  expect(ends(movedExposure('closes', shutter, -5))).toEqual([-0.25, -0.25]);
  expect(ends(movedExposure('opens', shutter, 5))).toEqual([0.25, 0.25]);
});

test('the whole exposure keeps its length wherever it is moved', () => {
  expect(ends(movedExposure('both', shutter, 0.25))).toEqual([0, 0.5]);
  expect(ends(movedExposure('both', shutter, 9))).toEqual([0.5, 1]);
  expect(ends(movedExposure('both', shutter, -9))).toEqual([-1, -0.5]);
});
