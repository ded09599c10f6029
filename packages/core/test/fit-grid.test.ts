import { FIT_NUMBERS, fitAffine, GRADIENT, NOTHING } from '../src/blur/paths/affine-fit';
import { fillBetween, fitGrid } from '../src/blur/paths/fit-grid';

const W = 46,
  H = 38;

/** A ragged surface (key 3) in a field that bends; `bend` 0 makes it affine. */
function field(bend: number) {
  const keys = new Int32Array(W * H),
    toNext = new Float32Array(W * H * 2),
    toPrevious = new Float32Array(W * H * 2);
  for (let i = 0; i < W * H; i++) {
    const x = i % W,
      y = Math.floor(i / W);
    const hole = Math.hypot(x - 30, y - 12) < 4.5 || (x + y) % 41 === 0;
    keys[i] = Math.hypot(x - 22, (y - 20) * 1.3) < 20 && !hole ? 3 : (x % 4) - 1;
    toNext.set([3 + 0.1 * x - 0.05 * y + bend * x * x, -2 + 0.02 * x + 0.07 * y + bend * Math.sin(y)], i * 2);
    toPrevious.set([-3 - 0.09 * x + bend * y * y, 2 - 0.03 * y], i * 2);
  }
  return { width: W, height: H, keys, toNext, toPrevious };
}

describe.each([
  ['nodes on pixels', { stepPx: 2, x0: -2, y0: -3, across: 27, down: 23 }],
  ['nodes between pixels', { stepPx: 2, x0: -1.5, y0: -2.5, across: 27, down: 23 }],
  ['nodes on pixels across, between them down', { stepPx: 2, x0: 1, y0: -0.5, across: 23, down: 21 }],
])('fits on a grid, %s', (_, nodes) => {
  const seen = { x0: 2, y0: 4, width: 41, height: 32 };

  test.each([true, false])('are the single fits, or the means of those around where all is whole (shear %s)', (shear) => {
    for (const bend of [0, 0.01]) {
      const passes = field(bend);
      const { told, fits, between } = fitGrid({ field: passes, shear }, 3, seen, nodes);
      fillBetween(between, fits, 2 * FIT_NUMBERS, nodes);
      const alone = new Float64Array(2 * FIT_NUMBERS);
      let compared = 0,
        means = 0;
      for (let n = 0; n < told.length; n++) {
        const x = nodes.x0 + (n % nodes.across) * 2,
          y = nodes.y0 + Math.floor(n / nodes.across) * 2;
        const knows = fitAffine(passes, 3, [passes.toNext, passes.toPrevious], x, y, shear, alone);
        expect(told[n]).toBe(knows);
        if (knows === NOTHING) continue;
        compared++;
        means += between[n];
        if (between[n] === 1) expect(knows).toBe(GRADIENT);
        // Means of a field that bends differ by the bend over two pixels.
        for (let k = 0; k < 2 * FIT_NUMBERS; k++)
          expect(Math.abs(fits[n * 2 * FIT_NUMBERS + k] - alone[k])).toBeLessThan(between[n] === 0 ? 1e-9 : bend === 0 ? 1e-5 : 0.05);
      }
      expect(compared).toBeGreaterThan(150);
      expect(means).toBeGreaterThan(20);
    }
  });
});

test('a node nobody needs is not fitted', () => {
  const { told } = fitGrid(
    { field: field(0), shear: true },
    3,
    { x0: 20, y0: 18, width: 3, height: 3 },
    { stepPx: 2, x0: 0, y0: 0, across: 23, down: 19 },
  );
  expect(told.reduce((sum, t) => sum + (t === NOTHING ? 0 : 1), 0)).toBeLessThan(12);
});
