import {
  completeDepth,
  decodeDepth,
  describeDepth,
  detectDepth,
  nearerValues,
  PLAIN_DEPTH,
  roundToHalf,
  storedDepth,
  type DepthEncoding,
  type DepthFrame,
} from '../src';
import { framesOf, positionAt, render, SCENES, SIZE, WAYS } from './depth-scene';

/** Pairs of covered places, far apart: the share whose order is that of the true distances (ties count as wrong unless both are ties). */
function rightOrder(decoded: Float32Array, truth: Float32Array, alpha: Float32Array): number {
  let right = 0,
    pairs = 0;
  const places = [...truth.keys()].filter((i) => truth[i] > 0 && alpha[i] === 1);
  for (let n = 0; n < places.length; n += 3) {
    const a = places[n],
      b = places[(n * 7 + 1013) % places.length];
    if (Math.abs(truth[a] - truth[b]) < 0.06 * truth[a]) continue;
    pairs++;
    if (decoded[a] < decoded[b] === truth[a] < truth[b]) right++;
  }
  return right / pairs;
}

function decodedOf({ channels, width, motion }: DepthFrame, encoding: DepthEncoding): Float32Array {
  const channel = channels.find((c) => c.name === encoding.channel);
  if (channel === undefined) throw new Error('no such channel');
  return completeDepth(decodeDepth({ ...channel, width }, encoding), width, { ids: null, motion });
}

describe.each(Object.entries(SCENES))('%s', (_, scene) => {
  test.each(Object.entries(WAYS))('stored as %s', (_name, way) => {
    const { frames, now } = framesOf(scene, way);
    const found = detectDepth(frames);
    expect(found.isDepth).toBe(true);
    expect({ confidence: found.confidence > 0.8, words: describeDepth(found.encoding) }).toMatchObject({ confidence: true });
    expect(found.encoding.filtered).toBe(way.filter !== undefined);
    const decoded = decodedOf(frames[1], found.encoding);
    expect(rightOrder(decoded, now.distance, now.alpha)).toBeGreaterThan(way.filter === undefined ? 0.985 : 0.97);
    expect(decoded.every((d) => d > 0)).toBe(true);
    // Where the picture is clear nothing may be taken for a thing.
    const clear = [...now.alpha.keys()].filter((i) => now.alpha[i] === 0 && isFarFromEdges(now.alpha, i));
    expect(clear.filter((i) => decoded[i] !== Infinity)).toEqual([]);
  });
});

function isFarFromEdges(alpha: Float32Array, i: number): boolean {
  for (let dy = -2; dy <= 2; dy++) for (let dx = -2; dx <= 2; dx++) if (alpha[i + dy * SIZE.width + dx] > 0) return false;
  return true;
}

const scene = SCENES['balls over a floor'];

test('without motion, distances and their negative are told by their values, and 0 to 1 by its floor or not at all', () => {
  const nearer = (name: string) => nearerValues(detectDepth(framesOf(scene, WAYS[name], false).frames).encoding);
  expect(nearer('distances, 1e6')).toBe('smaller');
  expect(nearer('negative, 0')).toBe('larger');
  // The floor is flat only when the values are read the right way.
  expect(nearer('0 to 1, near 0, 1')).toBe('smaller');
  expect(nearer('0 to 1, near 1, 0')).toBe('larger');
});

test('what cannot be told is asked: cards at 0.3, 0.5 and 0.7, without motion', () => {
  const { frames } = framesOf(
    SCENES['balls that cross over nothing'],
    { of: (z) => (z < 6.5 ? 0.3 : z < 10 ? 0.5 : 0.7), nothing: NaN },
    false,
  );
  const found = detectDepth(frames);

  expect(found.confidence).toBeLessThan(0.8);
  expect(found.issues.map((i) => i.code)).toContain('nearerUnknown');
  expect(new Set(found.alternatives.map((a) => nearerValues(a.encoding)))).toEqual(new Set(['smaller', 'larger']));
});

test('flat surfaces say where distance 0 lies in a pass of 0 to 1', () => {
  const { frames, now } = framesOf(scene, { of: (z) => (z - 2) / 70, nothing: 1 });
  const { encoding, issues } = detectDepth(frames);
  expect(issues.map((i) => i.code)).not.toContain('relativeDepth');
  const decoded = decodedOf(frames[1], encoding);
  // Ratios of distances are those of the scene.
  const [a, b] = [80 * SIZE.width + 20, 60 * SIZE.width + 20];
  expect(decoded[a] / decoded[b]).toBeCloseTo(now.distance[a] / now.distance[b], 1);
});

describe('the channel', () => {
  const z = framesOf(scene, WAYS['distances, 0']);
  const [before, now, after] = z.frames.map((f) => f.channels[0].data);
  const withChannels = (names: Record<string, (data: Float32Array | Uint32Array, alpha: Float32Array) => Float32Array>) =>
    z.frames.map((f, n) => ({
      ...f,
      channels: Object.entries(names).map(([name, make]) => ({
        name,
        type: 'float' as const,
        data: make([before, now, after][n], f.alpha ?? new Float32Array(0)),
      })),
    }));
  const depth = (data: Float32Array | Uint32Array) => Float32Array.from(data),
    coverage = (_: unknown, alpha: Float32Array) => alpha,
    empty = (data: ArrayLike<number>) => new Float32Array(data.length);
  test.each([
    ['alpha before it', { A: coverage, B: depth, G: depth, R: depth }, 'B'],
    ['the only one that varies', { A: coverage, B: empty, G: empty, R: depth }, 'R'],
    ['named for depth', { A: coverage, depth, mask: coverage }, 'depth'],
    ['lower case', { a: coverage, z: depth }, 'z'],
    ['luminance', { A: coverage, Y: depth }, 'Y'],
    ['a Z that holds nothing beside one that does', { Z: empty, V: depth }, 'V'],
  ])('%s', (_, names, expected) => expect(detectDepth(withChannels(names)).encoding.channel).toBe(expected));
  test('is the one that was asked for', () => expect(detectDepth(withChannels({ R: depth, G: depth }), 'G').encoding.channel).toBe('G'));
});

describe('positions', () => {
  const { frames, now } = framesOf(scene, WAYS['distances, 0']);
  const nowhere = [0, 1e10, NaN, Infinity];
  type Round = (v: number) => number;
  /** Every frame from a camera of its own, as passes store where points lie. */
  const positions = (empty: number, mirrored: boolean, round: Round = (v) => v, names = ['X', 'Y', 'Z']): DepthFrame[] =>
    frames.map((f, n) => {
      const points = Array.from(f.channels[0].data, (z, i) =>
        z === 0 ? [empty, empty, empty] : positionAt(i, z, 0.5 + 0.1 * n, [120 + n, -30, 7], mirrored),
      );
      const channels = names.map((name, k) => ({ name, type: 'float' as const, data: Float32Array.from(points, (p) => round(p[k])) }));
      return { ...f, channels };
    });

  test.each(nowhere.flatMap((empty) => [false, true].map((mirrored) => [empty, mirrored] as const)))(
    'nothing is %d, mirrored %s: distances of the scene, frame by frame',
    (empty, mirrored) => {
      const passes = positions(empty, mirrored),
        { encoding, isDepth, confidence } = detectDepth(passes);
      expect({ isDepth, sure: confidence > 0.9, position: encoding.position }).toEqual({
        isDepth: true,
        sure: true,
        position: ['X', 'Y', 'Z'],
      });
      expect(encoding.nothing.every(Number.isFinite)).toBe(true);
      for (const [n, { channels, width }] of passes.entries()) {
        const stored = storedDepth(channels, width, encoding);
        if (stored === null) throw new Error('no camera');
        const decoded = decodeDepth(stored, { ...encoding, filtered: false });
        frames[n].channels[0].data.forEach((z, i) => {
          if (z === 0 ? decoded[i] !== Infinity : !(Math.abs(decoded[i] - z) < 0.002 * z))
            throw new Error(`pixel ${i}: ${decoded[i]} instead of ${z}`);
        });
      }
    },
  );

  test('a small thing in a large picture has a camera too', () => {
    const width = 1200,
      at = (k: number) =>
        Float32Array.from({ length: width * width }, (_, i) => {
          const x = (i % width) - 700,
            y = Math.floor(i / width) - 300,
            z = 5 + 0.02 * x + 0.01 * Math.abs(y);
          return Math.hypot(x, y) > 9 ? 0 : [(x / 900) * z + 3, (y / 900) * z, z][k];
        });
    const channels = ['X', 'Y', 'Z'].map((name, k) => ({ name, type: 'float' as const, data: at(k) }));
    const { encoding } = detectDepth([{ width, height: width, channels, alpha: null, motion: null }]);
    expect(encoding.position).toEqual(['X', 'Y', 'Z']);
  });

  test('as halves, far from the origin, they still order the scene', () => {
    const passes = positions(0, false, roundToHalf, ['R', 'G', 'B']),
      { encoding } = detectDepth(passes),
      stored = storedDepth(passes[1].channels, SIZE.width, encoding);
    expect(encoding.position).toEqual(['R', 'G', 'B']);
    expect(
      rightOrder(decodeDepth(stored ?? { type: 'float', data: new Float32Array(0), width: 1 }, encoding), now.distance, now.alpha),
    ).toBeGreaterThan(0.98);
  });

  test.each<[string, (i: number, z: number) => number[]]>([
    ['normals', (i, z) => (z === 0 ? [0, 0, 0] : [Math.sin(i), Math.cos(i), 0.3])],
    ['colours', (i, z) => [0.5 + 0.4 * Math.sin(z * 3), 0.5 + 0.4 * Math.sin(i / 700), 0.2 + 0.1 * Math.cos(z)]],
    ['places in the picture', (i) => [(i % SIZE.width) / SIZE.width, Math.floor(i / SIZE.width) / SIZE.height, 0]],
    ['the same three times', (_, z) => [z, z, z]],
  ])('%s are none', (_, make) => {
    const passes = frames.map((f) => {
      const values = Array.from(f.channels[0].data, (z, i) => make(i, z));
      return {
        ...f,
        channels: [0, 1, 2].map((k) => ({ name: 'RGB'[k], type: 'float' as const, data: Float32Array.from(values, (v) => v[k]) })),
      };
    });
    expect(detectDepth(passes).encoding.position).toBeNull();
  });

  test('another channel can be asked for, and an empty frame is nothing', () => {
    const passes = positions(0, false),
      { encoding } = detectDepth(passes);
    expect(detectDepth(passes, 'Z').encoding).toMatchObject({ channel: 'Z', position: null });
    const empty = passes[0].channels.map((c) => ({ ...c, data: new Float32Array(c.data.length) }));
    const stored = storedDepth(empty, SIZE.width, encoding);
    expect(stored !== null && decodeDepth(stored, encoding).every((d) => d === Infinity)).toBe(true);
    expect(storedDepth(passes[0].channels.slice(1), SIZE.width, encoding)).toBeNull();
    expect(describeDepth(encoding)).toBe('positions in X, Y, Z, 0 is nothing');
  });
});

describe('what is no depth', () => {
  const { frames } = framesOf(scene, WAYS['distances, 0']);
  const holding = (make: (i: number, alpha: number) => number, type: 'float' | 'uint' = 'float') =>
    frames.map((f) => ({
      ...f,
      channels: [{ name: 'Z', type, data: Float32Array.from(f.channels[0].data, (_, i) => make(i, f.alpha?.[i] ?? 0)) }],
    }));
  test('the coverage', () => expect(detectDepth(holding((_, alpha) => alpha))).toMatchObject({ isDepth: false }));
  test('noise', () => expect(detectDepth(holding((i) => (i * 7919) % 1013))).toMatchObject({ isDepth: false }));
  test('ids', () => expect(detectDepth(holding((i) => Math.floor((i % SIZE.width) / 40) + 1, 'uint'))).toMatchObject({ isDepth: false }));
  test('one value tells nothing, and says so', () => {
    const found = detectDepth(holding(() => 4));
    expect(found.issues.map((i) => i.code)).toContain('oneDepth');
  });
});

test('an encoding in words', () => {
  expect(describeDepth({ ...PLAIN_DEPTH, nothing: [0, 1e10] })).toBe('channel Z, smaller is nearer, 0 and 1e10 are nothing');
  expect(describeDepth({ ...PLAIN_DEPTH, channel: 'R', law: 'inverse', nothing: [], filtered: true, measured: 'fromEye' })).toBe(
    'channel R, larger is nearer, one over the distance, filtered edges, straight from the eye',
  );
});

describe('decoding', () => {
  const decode = (values: number[], change: Partial<DepthEncoding>) => [
    ...decodeDepth({ type: 'float', data: Float32Array.from(values), width: values.length }, { ...PLAIN_DEPTH, ...change }),
  ];
  test('linear and inverse laws are those of the document', () => {
    expect(decode([3, 5], { zero: 1, scale: 2 })).toEqual([4, 8]);
    expect(decode([-3, -5], { scale: -1 })).toEqual([3, 5]);
    expect(decode([0.5, 0.25], { law: 'inverse', scale: 3 })).toEqual([6, 12]);
    expect(decode([0.9, 0.5], { law: 'inverse', zero: 1, scale: -1, nothing: [] }).map((v) => Number(v.toPrecision(5)))).toEqual([10, 2]);
  });
  test('nothing, infinities and NaN are infinitely far; what lies behind the eye is as near as can be', () => {
    expect(decode([0, Infinity, -Infinity, NaN, 2], {})).toEqual([Infinity, Infinity, Infinity, Infinity, 2]);
    expect(decode([-4], {})[0]).toBeGreaterThan(0);
    expect(decode([-4], {})[0]).toBeLessThan(1e-3);
    expect(decode([1e10, 1.3e10, 6e9, 9], { nothing: [1e10] })).toEqual([Infinity, Infinity, Infinity, 9]);
    expect(decode([0, -0.5], { law: 'inverse', nothing: [] })).toEqual([Infinity, Infinity]);
  });
  test('values of whole-number files are nothing within half a step', () => {
    const decoded = decodeDepth({ type: 'u8', data: Float32Array.of(1, 254 / 255, 0.999), width: 3 }, { ...PLAIN_DEPTH, nothing: [1] });
    expect([...decoded].map((v) => v === Infinity)).toEqual([true, false, true]);
  });
});

describe('a filtered edge', () => {
  const row = (values: number[]) => Float32Array.from([...values, ...values, ...values, ...values, ...values]);
  const values = [2, 2, 2, 2, 4, 6, 8, 8, 8, 8],
    width = values.length;
  const mixed = decodeDepth({ type: 'float', data: row(values), width }, { ...PLAIN_DEPTH, filtered: true });
  test('is found, and only the edge', () => {
    expect([...mixed.subarray(2 * width, 3 * width)].map(Number.isNaN)).toEqual(values.map((v) => v === 4 || v === 6));
    const slope = Array.from({ length: width }, (_, i) => 2 + i);
    expect([...decodeDepth({ type: 'float', data: row(slope), width }, { ...PLAIN_DEPTH, filtered: true })].some(Number.isNaN)).toBe(false);
  });
  test('takes the depth of its own object', () => {
    const ids = row(values.map((_, i) => (i < 6 ? 1 : 2)));
    const whole = completeDepth(mixed, width, { ids, motion: null });
    expect([...whole.subarray(2 * width, 3 * width)]).toEqual([2, 2, 2, 2, 2, 2, 8, 8, 8, 8]);
  });
  test('next to nothing belongs to the thing', () => {
    const beside = [2, 2, 2, 2, NaN, NaN, Infinity, Infinity, Infinity, Infinity];
    const whole = completeDepth(row(beside), width, { ids: null, motion: null });
    expect([...whole.subarray(2 * width, 3 * width)].slice(0, 6)).toEqual([2, 2, 2, 2, 2, 2]);
  });
  test('without any stays the same array', () => {
    const plain = Float32Array.of(1, 2, Infinity, 3);
    expect(completeDepth(plain, 2, { ids: null, motion: null })).toBe(plain);
  });
});

test('the test scenes are what they say: a ball hides the floor behind it', () => {
  const { distance, alpha } = render(scene, 0);
  expect(distance[50 * SIZE.width + 58]).toBeLessThan(6);
  expect(alpha[2 * SIZE.width + 2]).toBe(0);
});
