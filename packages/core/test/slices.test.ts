import type { Kernels, SliceLayer, SliceRequest } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';
import { referenceKernels } from '../src/reference';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

/** A layer of noise that moves as one affine flow for each power of the time. */
function randomLayer(
  random: () => number,
  orders: 1 | 2 | 4,
  x0: number,
  y0: number,
  width: number,
  height: number,
  stepPx = 2,
): SliceLayer {
  const colour = new Float32Array(width * height * 4);
  for (let i = 0; i < colour.length; i += 4) {
    const a = random();
    // Highlights, and light below zero, as files have them.
    const bright = random() < 0.1 ? 40 : random() < 0.1 ? -0.5 : 1;
    colour.set([random() * a * bright, random() * a, random() * a, a], i);
  }
  const flows = Array.from({ length: orders }, () => Array.from({ length: 6 }, (_, k) => (random() - 0.5) * (k < 2 ? 9 : 0.4)));
  const flowAt = (x: number, y: number, order: number) => {
    const [gx, gy, xx, xy, yx, yy] = flows[order];
    return [gx + xx * (x - x0) + xy * (y - y0), gy + yx * (x - x0) + yy * (y - y0), xx, xy, yx, yy];
  };
  const path = pathOver(x0, y0, width, height, orders, flowAt, stepPx);
  return { colourBox: { x0, y0, width, height }, colour, path };
}

/** Nodes around a box, 24 of them and more where they lie close, each as `flowAt` says for its place and a power of the time, counted from 0. */
function pathOver(
  x0: number,
  y0: number,
  width: number,
  height: number,
  orders: 1 | 2 | 4,
  flowAt: (x: number, y: number, order: number) => readonly number[],
  stepPx = 2,
): SliceLayer['path'] {
  const across = Math.ceil((width + 48) / stepPx),
    down = Math.ceil((height + 48) / stepPx),
    nodes = new Float32Array(across * down * orders * 8),
    path = { x0: x0 - 23.5, y0: y0 - 24, across, down, stepPx, isOneFlow: stepPx > 4, orders, nodes };
  for (let n = 0; n < across * down; n++)
    for (let order = 0; order < orders; order++)
      nodes.set(flowAt(path.x0 + (n % across) * stepPx, path.y0 + Math.floor(n / across) * stepPx, order), (n * orders + order) * 8);
  return path;
}

test.each([
  ['arc', 'cubic'],
  ['arc', 'linear'],
  ['line', 'cubic'],
  ['line', 'linear'],
] as const)('slices along %s paths, %s: the fast kernel follows the slow one', (path, filter) => {
  let state = 12345;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
  const layers = [randomLayer(random, 2, 3, 2, 14, 12), randomLayer(random, 1, 0, 0, 8, 20, 16), randomLayer(random, 4, -4, 6, 22, 18)];
  const request: SliceRequest = {
    layers: [0, 1, 2],
    times: Float32Array.of(-0.6, -0.1, 0, 0.45, 0.9),
    weights: Float32Array.of(0.1, 0.2, 0.4, 0.2, 0.1),
    path,
    filter,
    box: { x0: -8, y0: -3, width: 34, height: 27 },
  };
  const fast = new Float32Array(34 * 27 * 4).fill(9),
    slow = new Float32Array(34 * 27 * 4).fill(-9);
  const session = kernels.openSlices(layers);
  session.render(request, fast, 0, 34 * 4);
  session.close();
  referenceKernels.openSlices(layers).render(request, slow, 0, 34 * 4);
  // Every step is continuous, so rounding moves a value by little and never flips one; the
  // fast kernel also stops where less than 0.0005 of what is behind can be seen.
  fast.forEach((value, i) => {
    if (!(Math.abs(value - slow[i]) < 1e-3 * Math.max(1, Math.abs(slow[i])))) throw new Error(`value ${i}: ${value} instead of ${slow[i]}`);
  });
});

test.each(['arc', 'line'] as const)(
  'small things that go far along %s paths show only now and then, and nothing of them is lost',
  (path) => {
    let state = 4711;
    const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
    // Each starts elsewhere, turns, and crosses the box within the exposure.
    const layers = Array.from({ length: 5 }, (_, n): SliceLayer => {
      const x0 = 12 + 6 * n,
        y0 = 9 * n,
        small = randomLayer(random, 2, x0, y0, 3, 2);
      const turn = 0.25 * (n - 2);
      const flowAt = (x: number, y: number, order: number) =>
        order === 0 ? [70 - turn * (y - y0), 20 * (n - 2) + turn * (x - x0), 0, -turn, turn, 0] : [6, -4, 0, 0, 0, 0];
      return { ...small, path: pathOver(x0 - 60, y0 - 60, 180, 180, 2, flowAt, n % 2 === 0 ? 2 : 64) };
    });
    const count = 40,
      box = { x0: 10, y0: -1, width: 22, height: 23 };
    const request: SliceRequest = {
      layers: [0, 1, 2, 3, 4],
      times: Float32Array.from({ length: count }, (_, i) => (i + 0.5) / count - 0.5),
      weights: new Float32Array(count).fill(1 / count),
      path,
      filter: 'cubic',
      box,
    };
    const fast = new Float32Array(box.width * box.height * 4),
      slow = new Float32Array(box.width * box.height * 4);
    const session = kernels.openSlices(layers);
    session.render(request, fast, 0, box.width * 4);
    session.close();
    referenceKernels.openSlices(layers).render(request, slow, 0, box.width * 4);
    expect(slow.filter((v, i) => i % 4 === 3 && v > 0.01).length).toBeGreaterThan(60);
    fast.forEach((value, i) => {
      if (!(Math.abs(value - slow[i]) < 1e-3)) throw new Error(`value ${i}: ${value} instead of ${slow[i]}`);
    });
  },
);

test.each([
  ['arc', 2],
  ['arc', 64],
  ['line', 2],
  ['line', 64],
] as const)('ways along %s paths that no picture has, on nodes %d px apart, show nothing and stop nothing', (path, stepPx) => {
  const size = 32,
    colour = new Float32Array(size * size * 4).fill(0.5);
  for (const odd of [1e20, -3e38, Infinity, NaN]) {
    const nodes = pathOver(0, 0, size, size, 2, (x) => [odd, x > 4 ? odd : 3, odd, 0.1, 0, 0], stepPx);
    const session = kernels.openSlices([{ colourBox: { x0: 0, y0: 0, width: size, height: size }, colour, path: nodes }]),
      out = new Float32Array(size * size * 4);
    const times = Float32Array.from({ length: 24 }, (_, i) => i / 24 + 0.02);
    session.render(
      {
        layers: [0],
        times,
        weights: new Float32Array(24).fill(1 / 24),
        path,
        filter: 'cubic',
        box: { x0: 0, y0: 0, width: size, height: size },
      },
      out,
      0,
      size * 4,
    );
    session.close();
    expect(out.every(Number.isFinite)).toBe(true);
  }
});

test.each([
  ['arc', [-0.5, -0.3, -0.1, 0.1, 0.3, 0.5], 2],
  ['arc', [0.1, 0.3, 0.5, 0.7, 0.9], 4],
  ['arc', [-1.1, -0.7, 0.01], 4],
  ['line', [-0.5, 0, 0.5], 4],
  ['line', [0.7], 2],
] as const)('a curved surface along %s paths at %j, nodes %d px apart: every place is settled by its own path', (path, times, stepPx) => {
  const size = 44;
  const colour = Float32Array.from({ length: size * size * 4 }, (_, i) => {
    const x = (i >> 2) % size,
      y = Math.floor((i >> 2) / size);
    return i % 4 === 3 ? 1 : 0.5 + 0.5 * Math.sin(x / 3 + (i % 4)) * Math.cos(y / 4);
  });
  // Turns and swells more to the right, as what comes nearer there does.
  const bend = (x: number) => 0.2 + 0.004 * x;
  const layer: SliceLayer = {
    colourBox: { x0: 0, y0: 0, width: size, height: size },
    colour,
    path: pathOver(
      0,
      0,
      size,
      size,
      2,
      (x, y, order) =>
        order === 0
          ? [6 - bend(x) * (y - 22), bend(x) * (x - 22) * 0.8, -0.004 * (y - 22), -bend(x), 0.8 * (bend(x) + 0.004 * (x - 22)), 0]
          : [1 + 0.02 * x, 0, 0.02, 0, 0, 0],
      stepPx,
    ),
  };
  const box = { x0: 4, y0: 4, width: 34, height: 34 },
    request: SliceRequest = {
      layers: [0],
      times: Float32Array.from(times),
      weights: new Float32Array(times.length).fill(1 / times.length),
      path,
      filter: 'linear',
      box,
    };
  const fast = new Float32Array(34 * 34 * 4),
    slow = fast.slice();
  const session = kernels.openSlices([layer]);
  session.render(request, fast, 0, 34 * 4);
  session.close();
  referenceKernels.openSlices([layer]).render(request, slow, 0, 34 * 4);
  // A place that one step reaches to within 0.02 px stays there; the picture changes by 0.17 a pixel at most.
  fast.forEach((value, i) => {
    if (!(Math.abs(value - slow[i]) < 0.005)) throw new Error(`value ${i}: ${value} instead of ${slow[i]}`);
  });
});

test.each([
  ['arc', 24, 'a bend'],
  ['arc', 24, 'a bow'],
  ['line', 5, 'a bend'],
  ['line', 5, 'a bow'],
] as const)(
  'along %s paths at %d times, %s within a block of pixels is followed by each of them, in any part of the picture',
  (path, count, form) => {
    const size = 48;
    const colour = Float32Array.from({ length: size * size * 4 }, (_, i) => {
      const x = (i >> 2) % size,
        y = Math.floor((i >> 2) / size);
      return i % 4 === 3 ? 1 : 0.5 + 0.5 * Math.sin(x / 3 + (i % 4)) * Math.cos(y / 4);
    });
    // On from x = 20 the surface is drawn out: at once, or more and more and less again, so that no parabola over a block follows it.
    const drawn = (x: number) => (form === 'a bend' ? (x < 20 ? 0 : 0.6) : 0.6 * Math.sin(x / 2.5));
    const drawnOut = (x: number) => (form === 'a bend' ? (x < 20 ? 0 : 0.6 * (x - 20)) : 1.5 * (1 - Math.cos(x / 2.5)));
    const layer: SliceLayer = {
      colourBox: { x0: 0, y0: 0, width: size, height: size },
      colour,
      path: pathOver(0, 0, size, size, 1, (x) => [6 + drawnOut(x), -2, drawn(x), 0, 0, 0]),
    };
    const box = { x0: 6, y0: 6, width: 34, height: 34 },
      request: SliceRequest = {
        layers: [0],
        times: Float32Array.from({ length: count }, (_, i) => (i + 0.5) / count - 0.5),
        weights: new Float32Array(count).fill(1 / count),
        path,
        filter: 'linear',
        box,
      };
    const fast = new Float32Array(34 * 34 * 4),
      slow = fast.slice(),
      part = new Float32Array(11 * 3 * 4);
    const session = kernels.openSlices([layer]);
    session.render(request, fast, 0, 34 * 4);
    session.render({ ...request, box: { x0: 15, y0: 21, width: 11, height: 3 } }, part, 0, 11 * 4);
    session.close();
    referenceKernels.openSlices([layer]).render(request, slow, 0, 34 * 4);
    fast.forEach((value, i) => {
      if (!(Math.abs(value - slow[i]) < 0.005)) throw new Error(`value ${i}: ${value} instead of ${slow[i]}`);
    });
    for (let y = 0; y < 3; y++)
      expect(part.subarray(y * 44, (y + 1) * 44)).toEqual(fast.subarray(((15 + y) * 34 + 9) * 4, ((15 + y) * 34 + 20) * 4));
  },
);

test('parts of an exposure count by their shares at each pixel, and add to what is there', () => {
  let state = 99;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
  const layers = [randomLayer(random, 2, 3, 2, 14, 12), randomLayer(random, 4, -4, 6, 22, 18)];
  const box = { x0: -8, y0: -3, width: 34, height: 27 },
    pixels = box.width * box.height,
    ends = Int32Array.of(1, 3, 5);
  const request: SliceRequest = {
    layers: [0, 1],
    times: Float32Array.of(-0.6, -0.1, 0, 0.45, 0.9),
    weights: Float32Array.of(0.1, 0.2, 0.4, 0.2, 0.1),
    path: 'arc',
    filter: 'linear',
    box,
  };
  // None of some parts, all of some, and what lies between.
  const shares = Float32Array.from({ length: ends.length * pixels }, () => Math.min(1, Math.max(0, 2 * random() - 0.5))),
    rest = shares.map((share) => 1 - share);
  const render = (from: { openSlices: Kernels['openSlices'] }, all: readonly (SliceRequest['parts'] | null)[]) => {
    const out = new Float32Array(pixels * 4),
      session = from.openSlices(layers);
    for (const parts of all) session.render({ ...request, parts: parts ?? null }, out, 0, box.width * 4);
    session.close();
    return out;
  };
  const near = (a: Float32Array, b: Float32Array, within: number) => a.forEach((v, i) => expect(Math.abs(v - b[i])).toBeLessThan(within));
  const part = render(kernels, [{ ends, shares }]);
  near(part, render(referenceKernels, [{ ends, shares }]), 1e-3);
  near(
    render(kernels, [
      { ends, shares },
      { ends, shares: rest },
    ]),
    render(kernels, [null]),
    1e-5,
  );
  expect(part.some((v) => v !== 0)).toBe(true);
  const session = kernels.openSlices(layers);
  expect(() => session.render({ ...request, parts: { ends: Int32Array.of(1, 4), shares } }, part, 0, 34 * 4)).toThrow(TypeError);
  session.close();
});
