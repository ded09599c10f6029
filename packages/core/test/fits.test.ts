import fc from 'fast-check';
import { sampleBilinear } from '../src';
import { aboutMeans, addValue, emptySums, fitPlane, fitSimilarity } from '../src/linear/plane-sums';
import { solveLinear, solveTwo } from '../src/linear/solve-linear';

const number = fc.double({ min: -50, max: 50, noNaN: true });

describe('bilinear sampling', () => {
  const W = 5,
    H = 4;
  const plane = Float64Array.from({ length: W * H }, (_, i) => 2 + 3 * (i % W) - 1.5 * Math.floor(i / W));

  test('a linear ramp is itself between its pixels', () => {
    fc.assert(
      fc.property(fc.double({ min: 0, max: W - 1, noNaN: true }), fc.double({ min: 0, max: H - 1, noNaN: true }), (x, y) => {
        expect(sampleBilinear(plane, W, H, x, y)).toBeCloseTo(2 + 3 * x - 1.5 * y, 9);
      }),
    );
  });
  test('the border is repeated outwards', () => {
    expect(sampleBilinear(plane, W, H, -7, -0.2)).toBe(plane[0]);
    expect(sampleBilinear(plane, W, H, W - 0.5, H + 3)).toBe(plane[W * H - 1]);
    expect(sampleBilinear(plane, W, H, W - 1, 1.5)).toBeCloseTo(2 + 3 * (W - 1) - 1.5 * 1.5, 9);
    expect(sampleBilinear(Float32Array.of(4), 1, 1, 0.3, -2)).toBe(4);
  });
  test('a channel is read among others', () => {
    const pairs = Float64Array.from({ length: W * H * 2 }, (_, i) => (i % 2 === 0 ? 99 : plane[i >> 1]));
    expect(sampleBilinear(pairs, W, H, 1.25, 2.5, 2, 1)).toBeCloseTo(2 + 3 * 1.25 - 1.5 * 2.5, 9);
    expect(sampleBilinear(pairs, W, H, 1.25, 2.5, 2, 0)).toBe(99);
  });
});

describe('least squares', () => {
  const places = [
    [0, 0],
    [4, 1],
    [1, 6],
    [7, 7],
    [3, 2],
  ];
  test('a plane is found from places on it, far from the origin too', () => {
    fc.assert(
      fc.property(number, number, number, fc.constantFrom(0, 4000), (value, right, down, away) => {
        const sums = emptySums();
        for (const [x, y] of places) addValue(sums, x + away, y + away, value + right * (x + away) + down * (y + away));
        const plane = fitPlane(sums);
        expect(plane?.[1]).toBeCloseTo(right, 4);
        expect(plane?.[2]).toBeCloseTo(down, 4);
        expect((plane?.[0] ?? NaN) + away * ((plane?.[1] ?? 0) + (plane?.[2] ?? 0))).toBeCloseTo(value + away * (right + down), 4);
      }),
    );
  });
  test('what is left over is at right angles to places and to one', () => {
    fc.assert(
      fc.property(fc.array(number, { minLength: places.length, maxLength: places.length }), (values) => {
        const sums = emptySums();
        places.forEach(([x, y], k) => addValue(sums, x, y, values[k]));
        const [value, right, down] = fitPlane(sums) ?? [NaN, NaN, NaN];
        const left = places.map(([x, y], k) => values[k] - value - right * x - down * y);
        for (const along of [() => 1, (k: number) => places[k][0], (k: number) => places[k][1]])
          expect(left.reduce((sum, l, k) => sum + l * along(k), 0)).toBeCloseTo(0, 6);
      }),
    );
  });
  test('places on a line tell no plane', () => {
    const sums = emptySums();
    for (let k = 0; k < 6; k++) addValue(sums, k, 2 * k, k * k);
    expect(fitPlane(sums)).toBeNull();
    expect(fitPlane(emptySums())).toBeNull();
  });
  test('turn and scale are found from both components, also where these were seen at other places', () => {
    fc.assert(
      fc.property(number, number, number, number, (dx, dy, re, im) => {
        const across = emptySums(),
          down = emptySums();
        for (const [x, y] of places.slice(0, 4)) addValue(across, x, y, dx + re * x - im * y);
        for (const [x, y] of places.slice(1)) addValue(down, x, y, dy + im * x + re * y);
        const turn = fitSimilarity(aboutMeans(across), aboutMeans(down));
        expect(turn?.re).toBeCloseTo(re, 6);
        expect(turn?.im).toBeCloseTo(im, 6);
      }),
    );
    expect(fitSimilarity(aboutMeans(emptySums()), aboutMeans(emptySums()))).toBeNull();
  });
});

describe('equations', () => {
  test('what was solved fulfils them', () => {
    fc.assert(
      fc.property(fc.array(number, { minLength: 16, maxLength: 16 }), fc.array(number, { minLength: 4, maxLength: 4 }), (m, x) => {
        // A heavy diagonal keeps them well posed.
        const matrix = m.map((v, i) => (i % 5 === 0 ? v + 500 : v));
        const right = [0, 1, 2, 3].map((r) => x.reduce((sum, v, c) => sum + matrix[r * 4 + c] * v, 0));
        expect(solveLinear(matrix, right, 4)).not.toBeNull();
        solveLinear(matrix, right, 4)?.forEach((v, i) => expect(v).toBeCloseTo(x[i], 6));
      }),
    );
    expect(solveLinear([0, 2, 3, 0], [4, 9], 2)).toEqual(Float64Array.of(3, 2));
    expect(solveLinear([1, 2, 2, 4], [1, 2], 2)).toBeNull();
  });
  test('two symmetric ones by hand', () => {
    expect(solveTwo(2, 1, 3, 4, 7, 0)).toEqual([1, 2]);
    expect(solveTwo(1, 2, 4, 1, 2, 0)).toBeNull();
    // Nearly the same equation twice.
    expect(solveTwo(1, 1, 1 + 1e-8, 1, 1, 1e-6)).toBeNull();
  });
});
