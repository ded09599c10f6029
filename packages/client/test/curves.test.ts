import type { ShutterPlan, SpeedHistogram, StrengthKey } from '@ivrex/core';
import { movedPoint, nudgedPoint, withoutPoint, withPoint } from '../src/features/assemble/curve-points';
import { limitAt, shareBetween, speedAlong, withLimit } from '../src/features/shutter/speed-limits';
import { arrowOf } from '../src/ui/arrow-keys';
import { keyAt, movedKey, nudgedKey, strengthRange, withoutKey, type StripScale } from '../src/viewer/strength-keys';

const PLAIN = { shiftKey: false, altKey: false };
const key = (frame: number, strength: number): StrengthKey => ({ frame, strength, way: 'smooth' });
const shutter: ShutterPlan = {
  opens: -0.25,
  closes: 0.25,
  strength: 1,
  keys: [key(1004, 0.5), key(1008, 1), key(1009, 2)],
  floorPx: null,
  ceilingPx: null,
};
const scale: StripScale = { firstFrame: 1001, lastFrame: 1010, frameWidth: 10, top: 16, base: 78 };
const keysOf = ({ keys }: ShutterPlan) => keys.map(({ frame, strength }) => [frame, strength]);

test('arrows point right and up, other keys nowhere', () => {
  expect(['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown', 'Left', 'a'].map((k) => arrowOf(k))).toEqual([
    { x: -1, y: 0 },
    { x: 1, y: 0 },
    { x: 0, y: 1 },
    { x: 0, y: -1 },
    null,
    null,
  ]);
});

describe('strength keys', () => {
  // The strip's drawing is 94 high; on the screen it may be stretched.
  const box = { left: 100, top: 50, width: 500, height: 188 };
  const at = (x: number, y: number) => keyAt({ clientX: 100 + x, clientY: 50 + y }, box, scale, 2);

  test('a place of the strip is a frame and a strength', () => {
    expect(at(0, 2 * 78)).toEqual({ frame: 1001, strength: 0 });
    expect(at(499, 2 * 16)).toEqual({ frame: 1010, strength: 2 });
    expect(at(175, 2 * 47)).toEqual({ frame: 1004, strength: 1 });
  });
  test('beside the strip it is its nearest frame, above and below a strength that can be', () => {
    expect(at(-80, 400)).toEqual({ frame: 1001, strength: 0 });
    expect(at(900, -2000)).toEqual({ frame: 1010, strength: 10 });
  });
  test('the top stands for twice the usual strength, or more where a key is higher', () => {
    expect(strengthRange({ ...shutter, keys: [] })).toBe(2);
    expect(strengthRange({ ...shutter, keys: [key(1004, 3)] })).toBe(4);
  });
  test('a dragged key stays between its neighbours and keeps its way', () => {
    const held = shutter.keys[1];
    expect(keysOf(movedKey(shutter, held, { frame: 1006, strength: 1.5 }, scale))).toEqual([
      [1004, 0.5],
      [1006, 1.5],
      [1009, 2],
    ]);
    expect(keysOf(movedKey(shutter, held, { frame: 1010, strength: 1 }, scale))).toEqual(keysOf(shutter));
    expect(keysOf(movedKey(shutter, held, { frame: 1001, strength: 1 }, scale))[1]).toEqual([1005, 1]);
    expect(keysOf(movedKey(shutter, shutter.keys[2], { frame: 1044, strength: 2 }, scale))[2]).toEqual([1010, 2]);
    expect(movedKey({ ...shutter, keys: [{ ...held, way: 'hold' }] }, { ...held, way: 'hold' }, at(0, 0), scale).keys[0].way).toBe('hold');
  });
  test('arrows nudge a key, Shift further, Alt finer; a taken frame is not entered', () => {
    const nudge = (k: StrengthKey, pressed: string, held = PLAIN) => nudgedKey(shutter, k, { key: pressed, ...held }, scale);
    expect(keysOf(nudge(shutter.keys[1], 'ArrowUp')?.shutter ?? shutter)[1]).toEqual([1008, 1.05]);
    expect(keysOf(nudge(shutter.keys[1], 'ArrowDown', { ...PLAIN, altKey: true })?.shutter ?? shutter)[1]).toEqual([1008, 0.99]);
    expect(nudge(shutter.keys[0], 'ArrowDown', { ...PLAIN, shiftKey: true })?.label).toBe('Strength 0 at 1004');
    expect(nudge(shutter.keys[1], 'ArrowRight')).toBeNull();
    expect(keysOf(nudge(shutter.keys[1], 'ArrowLeft')?.shutter ?? shutter)[1]).toEqual([1007, 1]);
    expect(nudge(shutter.keys[1], 'Enter')).toBeNull();
    expect(keysOf(nudge(shutter.keys[1], 'Delete')?.shutter ?? shutter)).toEqual([
      [1004, 0.5],
      [1009, 2],
    ]);
  });
  test('the last key that is taken away leaves its strength', () => {
    const one = { ...shutter, keys: [key(1004, 0.3)] };
    expect(withoutKey(one, one.keys[0]).shutter).toMatchObject({ strength: 0.3, keys: [] });
    expect(withoutKey(shutter, shutter.keys[0]).shutter.strength).toBe(1);
  });
});

describe('points of a curve', () => {
  const points = [
    [0, 0],
    [0.5, 0.6],
    [1, 1],
  ] as const;
  test('a moved point stays between its neighbours and within the curve', () => {
    expect(movedPoint(points, 1, [0.7, 0.2])[1]).toEqual([0.7, 0.2]);
    expect(movedPoint(points, 1, [2, -3])[1]).toEqual([0.99, 0]);
    expect(movedPoint(points, 0, [-1, 0.1])[0]).toEqual([0, 0.1]);
    expect(movedPoint(points, 2, [0.2, 5])[2]).toEqual([0.51, 1]);
  });
  test('a new one stands in order, and not on top of another', () => {
    expect(withPoint(points, [0.25, 0.123456])).toEqual([
      [0, 0],
      [0.25, 0.1235],
      [0.5, 0.6],
      [1, 1],
    ]);
    expect(withPoint(points, [0.511, 0.2])).toBeNull();
  });
  test('two are always left', () => {
    expect(withoutPoint(points, 1)).toEqual([
      [0, 0],
      [1, 1],
    ]);
    expect(withoutPoint(points.slice(0, 2), 0)).toBeNull();
    expect(nudgedPoint(points.slice(0, 2), 0, { key: 'Delete', shiftKey: false })).toBeNull();
  });
  test('arrows nudge it, Shift further', () => {
    expect(nudgedPoint(points, 1, { key: 'ArrowUp', shiftKey: false })?.[1]).toEqual([0.5, 0.605]);
    expect(nudgedPoint(points, 1, { key: 'ArrowLeft', shiftKey: true })?.[1]).toEqual([0.45, 0.6]);
    expect(nudgedPoint(points, 1, { key: 'Tab', shiftKey: true })).toBeNull();
  });
});

describe('limits of speed', () => {
  const histogram: SpeedHistogram = {
    edges: Float64Array.of(0.1, 1, 10, 100),
    counts: Uint32Array.of(10, 60, 30),
    fastestPx: 80,
    still: 0,
  };
  test('the floor stays below the ceiling, and 0 is off', () => {
    expect(withLimit({ ...shutter, ceilingPx: 20 }, 'floorPx', 35).floorPx).toBe(20);
    expect(withLimit({ ...shutter, floorPx: 20 }, 'ceilingPx', 5).ceilingPx).toBe(20);
    expect(withLimit({ ...shutter, floorPx: 20 }, 'floorPx', 0).floorPx).toBeNull();
    expect(withLimit(shutter, 'ceilingPx', 12.3456).ceilingPx).toBe(12.3);
  });
  test('each step along the scale is a factor, and its ends are off', () => {
    expect(speedAlong(histogram, 0)).toBe(0.1);
    expect(speedAlong(histogram, 2 / 3)).toBeCloseTo(10, 9);
    expect([0.1, 0.2, 100].map((v) => limitAt('floorPx', v, histogram))).toEqual([null, 0.2, 100]);
    expect([0.1, 50, 99].map((v) => limitAt('ceilingPx', v, histogram))).toEqual([0.1, 50, null]);
  });
  test('shares are of what moves', () => {
    expect(shareBetween(histogram, 0, 1)).toBe(0.1);
    expect(shareBetween(histogram, 10, Infinity)).toBe(0.3);
    expect(shareBetween({ ...histogram, counts: new Uint32Array(3) }, 0, 100)).toBe(0);
  });
});
