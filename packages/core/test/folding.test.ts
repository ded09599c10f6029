import { FLOW_NUMBERS, travelOf } from '../src/blur/paths/affine-path';
import { ENDS, writeEnds, type NeighbourField } from '../src/blur/paths/path-study';

const before: NeighbourField = {
  width: 0,
  height: 0,
  keys: [],
  toNext: new Float32Array(),
  toPrevious: new Float32Array(),
  hasIds: false,
};
const AMONG = { model: 'arc', after: null, before } as const;

/** Way and gradient to the next frame and to the one before, of cloth that goes by a parabola of the time: d = a t + b t^2, along x alone. */
function clothOf(a: number, b: number, wideA: number, wideB: number): Float64Array {
  const fits = new Float64Array(ENDS);
  fits.set([a + b, 0, wideA + wideB, 0, 0, 0], 0);
  fits.set([b - a, 0, wideB - wideA, 0, 0, 0], FLOW_NUMBERS);
  return fits;
}

/** Where the path from these ends takes a point that is `off` pixels beside the node, at a time. */
function placeAt(ends: Float64Array, t: number, off: number): number {
  const flow = new Float64Array(FLOW_NUMBERS),
    way = new Float64Array(2);
  for (let k = 0; k < FLOW_NUMBERS; k++) {
    const next = ends[k],
      previous = ends[FLOW_NUMBERS + k];
    flow[k] = ((next - previous) / 2) * t + ((next + previous) / 2) * t * t;
  }
  flow[0] += flow[2] * off;
  travelOf(flow, 0, way);
  return off + way[0];
}

test('cloth that turns over in the frame before goes by the parabola of both vectors, and so does what is beside', () => {
  // The right edge of a flag: 0.4 px on, 14.8 back; the next frame stretches it by 1.3, the one before mirrors it.
  const ends = clothOf(7.2, -7.2, 1.2, 0.1);
  expect(writeEnds(AMONG, ends, 0)).toBe(false);
  for (const t of [-0.5, -0.25, 0.25, 0.5])
    for (const off of [-0.5, 0, 0.5]) {
      const expected = off + (7.2 + 1.2 * off) * t + (-7.2 + 0.1 * off) * t * t;
      expect(Math.abs(placeAt(ends, t, off) - expected)).toBeLessThan(0.45);
    }
});

test('a steady flow keeps its own ends: they lead to the vectors exactly', () => {
  const ends = clothOf(6, 0, 0.2, 0.02);
  const next = ends[0],
    back = ends[FLOW_NUMBERS];
  expect(writeEnds(AMONG, ends, 0)).toBe(true);
  expect(placeAt(ends, 1, 0)).toBeCloseTo(next, 9);
  expect(placeAt(ends, -1, 0)).toBeCloseTo(back, 9);
});

test('what is mirrored by far is noise: its vectors stand without a gradient', () => {
  const ends = clothOf(6, 0, 2.5, 0);
  expect(writeEnds(AMONG, ends, 0)).toBe(true);
  expect([...ends.subarray(FLOW_NUMBERS, ENDS)]).toEqual([-6, 0, 0, 0, 0, 0]);
});

test('a frame alone keeps its vectors where it folds: it is followed to its ends', () => {
  const ends = clothOf(7.2, -7.2, 1.2, 0.1);
  expect(writeEnds({ ...AMONG, before: null }, ends, 0)).toBe(true);
  expect(placeAt(ends, 1, 0)).toBeCloseTo(0, 9);
  expect(placeAt(ends, -1, 0)).toBeCloseTo(-14.4, 9);
});
