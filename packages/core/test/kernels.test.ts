import fc from 'fast-check';
import { MATCH_TAPS, SCORE_NUMBERS, type ChunkMemory, type Kernels } from '@ivrex/kernels';
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
