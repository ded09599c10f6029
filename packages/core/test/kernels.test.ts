import fc from 'fast-check';
import { MATCH_TAPS, SCORE_NUMBERS, type ChunkMemory, type Kernels, type SliceLayer, type SliceRequest } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';
import { packBlocks } from '../src/exr/codecs/dwa-blocks';
import { packHuffman } from '../src/exr/codecs/huffman';
import { roundToHalf } from '../src';
import { narrow, referenceKernels, widen } from '../src/reference';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

const bytes = fc.uint8Array({ minLength: 1, maxLength: 300 });
const SEED = { seed: 20261123, numRuns: 200 };

/** The same work in the fast and in the plain chunk, whatever was in memory before; what `read` sees must agree. */
function inBoth(size: number, work: (chunk: ChunkMemory) => unknown): unknown {
  const answers = [kernels, referenceKernels].map((k) => {
    const dirty = k.openChunk(size + 64);
    dirty.put(new Uint8Array(size + 64).fill(0xaa), 0);
    dirty.close();
    const chunk = k.openChunk(size);
    try {
      return work(chunk);
    } finally {
      chunk.close();
    }
  });
  expect(answers[0]).toEqual(answers[1]);
  return answers[0];
}

function bytesOf(chunk: ChunkMemory, length: number): number[] {
  const out = new Uint8Array(length);
  chunk.take(0, out);
  return [...out];
}

test('the predictor agrees with its definition in both directions', () => {
  fc.assert(
    fc.property(bytes, (raw) => {
      const fast = new Uint8Array(raw.length).fill(0xaa),
        slow = new Uint8Array(raw.length).fill(0x55);
      kernels.predictBytes(raw, fast);
      referenceKernels.predictBytes(raw, slow);
      expect(fast).toEqual(slow);
      const split = inBoth(raw.length, (chunk) => {
        chunk.put(fast, 0);
        chunk.undoPredictor(raw.length);
        return bytesOf(chunk, raw.length);
      }) as number[];
      const middle = Math.ceil(raw.length / 2);
      expect(raw).toEqual(Uint8Array.from(raw, (_, i) => split[i % 2 === 0 ? i / 2 : middle + (i - 1) / 2]));
    }),
    SEED,
  );
});

test('rows of halves and of words are read from either form', () => {
  fc.assert(
    fc.property(fc.uint8Array({ minLength: 200, maxLength: 400 }), fc.integer({ min: 0, max: 20 }), fc.boolean(), (raw, start, split) => {
      const rows = { offsets: Int32Array.of(start * 2, start * 2 + 40, 0), samples: 17, split };
      inBoth(raw.length, (chunk) => {
        chunk.put(raw, 0);
        const floats = new Float32Array(3 * 20).fill(-7),
          words = new Uint32Array(3 * 20).fill(9);
        chunk.readHalves(rows, floats, 20);
        chunk.readWords({ ...rows, samples: 15 }, words, 20);
        return [[...floats].map(String), [...words]];
      });
    }),
    SEED,
  );
});

/** Clustered values: short and long codes, runs, and a few that occur once. */
const values = fc
  .array(fc.tuple(fc.oneof(fc.integer({ min: 0, max: 40 }), fc.integer({ min: 0, max: 65535 })), fc.integer({ min: 1, max: 300 })), {
    minLength: 1,
    maxLength: 40,
  })
  .map((runs) => Uint16Array.from(runs.flatMap(([v, n]) => new Array<number>(n % 7 === 0 ? n : 1 + (n % 3)).fill(v))));

test('what the Huffman writer packs, both readers unpack', () => {
  fc.assert(
    fc.property(values, (sent) => {
      const packed = packHuffman(sent);
      const got = inBoth(sent.length * 2, (chunk) => [
        chunk.undoHuffman(packed, 0, sent.length),
        ...bytesOf(chunk, sent.length * 2),
      ]) as number[];
      expect(got[0]).toBe(true);
      expect(Uint8Array.from(got.slice(1))).toEqual(new Uint8Array(sent.buffer));
    }),
    SEED,
  );
});

test('a hurt Huffman stream is refused or read, alike, and nothing else happens', () => {
  const sent = Uint16Array.from({ length: 500 }, (_, i) => (i * i) % 97);
  const good = packHuffman(sent);
  let refused = 0;
  for (let i = 0; i < good.length; i++) {
    const hurt = good.slice();
    hurt[i] ^= 1 << (i % 8);
    const [ok] = [kernels, referenceKernels].map((k) => {
      const chunk = k.openChunk(1000);
      const answer = chunk.undoHuffman(hurt, 0, 500);
      chunk.close();
      return answer;
    });
    if (!ok) refused++;
  }
  expect(refused).toBeGreaterThan(5);
});

test('the wavelet agrees with its definition at any size, for small and for large values', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 21 }),
      fc.integer({ min: 1, max: 21 }),
      fc.boolean(),
      fc.integer(),
      (width, height, small, seed) => {
        const data = Uint16Array.from({ length: width * height * 2 }, (_, i) => Math.imul(i + 1, seed | 1) >>> (small ? 20 : 16));
        inBoth(data.byteLength, (chunk) => {
          chunk.put(new Uint8Array(data.buffer), 0);
          chunk.undoWavelet(2, { width, stepX: 2, height, stepY: width * 2 }, small ? 4095 : 65535);
          return bytesOf(chunk, data.byteLength);
        });
      },
    ),
    SEED,
  );
});

test('cosine blocks agree with their definition to the last bits of a half', () => {
  for (const components of [1, 3] as const) {
    for (const [width, height] of [
      [8, 8],
      [19, 13],
      [3, 2],
    ]) {
      const planes = Array.from({ length: components }, (_, c) =>
        Float32Array.from({ length: width * height }, (_, i) => 0.5 + 0.4 * Math.sin(i * 0.37 + c)),
      );
      const { ac, dc } = packBlocks([{ width, rows: height, planes }]);
      const read = [kernels, referenceKernels].map((k) => {
        const size = width * height * components * 2,
          chunk = k.openChunk(size),
          out = new Uint16Array(size / 2).fill(7);
        expect(chunk.undoBlocks({ ac, dc, components, width, height }, 0)).toBe(ac.length);
        chunk.take(0, new Uint8Array(out.buffer));
        chunk.close();
        return out;
      });
      read[0].forEach((h, i) => expect(Math.abs(h - read[1][i])).toBeLessThanOrEqual(1));
      planes.forEach((plane, c) => plane.forEach((v, i) => expect(widen(read[0][c * plane.length + i])).toBeCloseTo(v, 1)));
    }
  }
});

test('details that end early are answered with -1', () => {
  const blocks = { ac: Uint16Array.of(0x3c00, 0xff05), dc: Uint16Array.of(0x3c00), components: 1, width: 8, height: 8 } as const;
  expect(inBoth(128, (chunk) => chunk.undoBlocks(blocks, 0))).toBe(-1);
});

test('every one of the 65536 halves widens to the value of its definition, and comes back', () => {
  const all = Uint16Array.from({ length: 65536 }, (_, i) => i);
  const wide = new Float32Array(65536).fill(-7);
  kernels.halfToFloat(all, wide);
  for (let h = 0; h < 65536; h++)
    if (!Object.is(wide[h], Math.fround(widen(h)))) throw new Error(`half ${h}: ${wide[h]} instead of ${widen(h)}`);
  const back = new Uint16Array(65536);
  kernels.floatToHalf(wide, back);
  for (let h = 0; h < 65536; h++) {
    const isNan = (h & 0x7c00) === 0x7c00 && (h & 0x3ff) !== 0;
    if (isNan ? (back[h] & 0x7c00) !== 0x7c00 || (back[h] & 0x3ff) === 0 : back[h] !== h)
      throw new Error(`half ${h} came back as ${back[h]}`);
  }
});

test('floats round to the nearest half, ties to even, past 65519 to infinity', () => {
  // Every midpoint between neighbouring halves, and one float step to each side of it.
  const values: number[] = [65519, 65519.996, 65520, 1e9, -1e9, 2 ** -25, 2 ** -25 * 1.0001, 0, -0];
  const bits = new Uint32Array(1),
    float = new Float32Array(bits.buffer);
  for (let h = 0; h < 0x7bff; h += 7) {
    float[0] = (widen(h) + widen(h + 1)) / 2;
    for (const step of [-1, 0, 1]) {
      const near = new Uint32Array([bits[0] + step]);
      values.push(new Float32Array(near.buffer)[0]);
    }
  }
  const src = Float32Array.from(values),
    out = new Uint16Array(src.length);
  kernels.floatToHalf(src, out);
  src.forEach((value, i) => {
    if (out[i] !== narrow(value)) throw new Error(`${value} became ${out[i]} instead of ${narrow(value)}`);
    if (roundToHalf(value) !== widen(narrow(value))) throw new Error(`${value} was rounded to ${roundToHalf(value)}`);
  });
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
    path = { x0: x0 - 23.5, y0: y0 - 24, across, down, stepPx, orders, nodes };
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
  ['arc', [-0.5, -0.3, -0.1, 0.1, 0.3, 0.5]],
  ['arc', [0.1, 0.3, 0.5, 0.7, 0.9]],
  ['arc', [-1.1, -0.7, 0.01]],
  ['line', [-0.5, 0, 0.5]],
  ['line', [0.7]],
] as const)('a curved surface along %s paths at %j: every place is settled by its own path', (path, times) => {
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
    path: pathOver(0, 0, size, size, 2, (x, y, order) =>
      order === 0
        ? [6 - bend(x) * (y - 22), bend(x) * (x - 22) * 0.8, -0.004 * (y - 22), -bend(x), 0.8 * (bend(x) + 0.004 * (x - 22)), 0]
        : [1 + 0.02 * x, 0, 0.02, 0, 0, 0],
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

test('light through apertures: the fast kernel follows the slow one, at borders and inside', () => {
  let state = 99;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
  const width = 37,
    height = 29,
    count = width * height;
  const radii = Float32Array.from({ length: count }, () => 4 * random());
  const places = { dx: new Int16Array(60), dy: new Int16Array(60), from: new Float32Array(60) };
  for (let n = 1; n < 60; n++) {
    places.dx[n] = Math.round(10 * random() - 5);
    places.dy[n] = Math.round(10 * random() - 5);
    places.from[n] = (n / 60) * 4.4;
  }
  const picture = {
    width,
    height,
    places,
    radii,
    rgba: Float32Array.from({ length: count * 4 }, () => 8 * random()),
    shares: Float32Array.from({ length: count }, () => 0.01 + random()),
  };
  for (const [box, places] of [
    [{ x0: 0, y0: 0, width, height }, 60],
    [{ x0: 11, y0: 7, width: 9, height: 13 }, 21],
  ] as const) {
    const fast = new Float32Array(count * 4).fill(NaN),
      slow = new Float32Array(count * 4).fill(NaN);
    const session = kernels.openAperture(picture);
    session.gather(box, places, fast, box.x0 * 4, width * 4);
    session.close();
    referenceKernels.openAperture(picture).gather(box, places, slow, box.x0 * 4, width * 4);
    fast.forEach((value, i) => {
      if (Number.isNaN(slow[i])) expect(value).toBeNaN();
      else expect(Math.abs(value - slow[i])).toBeLessThan(2e-5 * (1 + slow[i]));
    });
  }
  expect(() => kernels.openAperture({ ...picture, radii: radii.subarray(1) })).toThrow(TypeError);
});

test('a pyramid to match: the fast kernel follows the slow one, reduced or not, at odd sizes, with what is no number', () => {
  const random = seededRandom(17);
  for (const [width, height, reduced] of [
    [31, 23, 1],
    [31, 23, 2],
    [3, 5, 4],
  ]) {
    const rgba = Float32Array.from({ length: width * height * 4 }, (_, i) => [NaN, -1, 1e9, Infinity][i % 37] ?? 6 * random());
    const request = [{ width, height, rgba, reduced, levels: 3, most: 4 }],
      fast = kernels.openMatch(request),
      slow = referenceKernels.openMatch(request);
    for (const level of [0, 1, 2]) {
      const [a, b] = [fast.picture(level), slow.picture(level)];
      expect([a.width, a.height]).toEqual([b.width, b.height]);
      a.data.forEach((value, i) => expect(Math.abs(value - b.data[i])).toBeLessThan(1e-5));
    }
    fast.close();
  }
  expect(() => kernels.openMatch([{ width: 4, height: 4, rgba: new Float32Array(60), reduced: 1, levels: 1, most: 4 }])).toThrow(TypeError);
});

const seededRandom = (seed: number) => {
  let state = seed;
  return () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
};

describe('matching points: the fast kernel follows the slow one, inside, across the border and beyond it', () => {
  const random = seededRandom(31);
  const sized = (width: number, height: number) => ({
    ...{ width, height, reduced: 1, levels: 1, most: 4 },
    rgba: Float32Array.from({ length: width * height * 4 }, random),
  });
  const pictures = [sized(31, 23), sized(31, 23), sized(16, 12), sized(31, 23)],
    count = 40;
  const vectors = () => Float32Array.from({ length: count * MATCH_TAPS * 2 }, () => 2 * random() - 1);
  const places = Float32Array.from({ length: count * 2 }, (_, i) => (i % 2 === 0 ? 33 : 25) * random() - 1),
    scales = Float32Array.of(0, 0, 1, 1, -3, 2, 12, -12, 400, 400);

  test('one by one', () => {
    const points = { places, vectors: vectors(), step: 1.5, scales };
    const fast = new Float32Array(count * 5).fill(NaN),
      slow = new Float32Array(count * 5).fill(NaN);
    const session = kernels.openMatch(pictures);
    session.match(0, 1, points, fast);
    expect(() => session.match(0, 2, points, fast)).toThrow(TypeError);
    expect(() => session.match(0, 1, points, fast.subarray(1))).toThrow(TypeError);
    session.close();
    referenceKernels.openMatch(pictures).match(0, 1, points, slow);
    expect(slow.filter((v) => v === -1).length).toBeGreaterThan(count);
    expect(slow.filter((v) => v > 0).length).toBeGreaterThan(count);
    // The fast one ends a thousandth of a pixel before the border.
    fast.forEach((value, i) => expect(Math.abs(value - slow[i])).toBeLessThan(2e-3));
  });

  test.each([
    [3, 1],
    [null, 1],
    [3, null],
  ])('all together, with what matches anyway: before %p, after %p', (before, after) => {
    const shares = () => Float32Array.from({ length: count }, random);
    const points = {
      ...{ places, scales },
      vectors: { before: vectors(), after: vectors() },
      tolerance: shares().map((v) => 0.01 + v),
      base: [shares(), shares(), shares()] as const,
    };
    const fast = new Float32Array(5 * SCORE_NUMBERS).fill(1),
      slow = new Float32Array(5 * SCORE_NUMBERS).fill(1);
    const session = kernels.openMatch(pictures);
    session.score({ now: 0, before, after }, points, fast);
    expect(() => session.score({ now: 0, before: 2, after }, points, fast)).toThrow(TypeError);
    expect(() => session.score({ now: 0, before, after }, { ...points, tolerance: new Float32Array(3) }, fast)).toThrow(TypeError);
    session.close();
    referenceKernels.openMatch(pictures).score({ now: 0, before, after }, points, slow);
    fast.forEach((value, i) => expect(Math.abs(value - slow[i])).toBeLessThan(5e-3));
    expect(new Set(slow.map((v) => Math.round(100 * v))).size).toBeGreaterThan(8);
  });
});

test('grading by tables: the fast kernel follows the slow one, at and beyond the ends of the tables', () => {
  let state = 7;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
  const table = () => {
    let light = random();
    return { values: Float32Array.from({ length: 65 }, () => (light += random())), atZero: random(), below: random() };
  };
  // 32 exponents of two steps each, from 2^-16 on.
  const tables = { firstStep: 111 << 1, shift: 22, channels: [table(), table(), table()], saturation: 1.3, luma: table() } as const;
  const lights = [0, 1e-9, 2 ** -16, 0.18, 1, 3.7, 65535, 65536, 1e6, -0.5];
  const rgba = Float32Array.from({ length: 4000 }, (_, k) =>
    k % 4 === 3 ? [0, 0.3, 1][(k >> 2) % 3] : lights[Math.floor(random() * lights.length)],
  );
  for (const given of [tables, { ...tables, luma: null }]) {
    const fast = rgba.slice(),
      slow = rgba.slice();
    kernels.grade(fast, given);
    referenceKernels.grade(slow, given);
    fast.forEach((value, i) =>
      expect(Math.abs(value - slow[i])).toBeLessThan(3e-5 * (1 + Math.abs(slow[i]) + Math.abs(slow[i ^ 1]) + Math.abs(slow[i ^ 2]))),
    );
  }
  expect(() => kernels.grade(rgba.slice(), { ...tables, luma: { ...table(), values: new Float32Array(3) } })).toThrow(TypeError);
});
