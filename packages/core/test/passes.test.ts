import fc from 'fast-check';
import {
  cryptomatteId,
  cryptomattesOf,
  guessRole,
  idChannelsOf,
  idNames,
  matteOf,
  alphaEdges,
  measureBlurAtEdges,
  measurePass,
  objectIds,
  objectsAt,
  rankOf,
  rankPlanes,
  type Attribute,
  type MeasuredPlane,
  type PassNames,
} from '../src';
import { wholeIds } from '../src/passes/whole-ids';

const WIDTH = 64,
  COUNT = 64 * 48;
const plane = (name: string, type: MeasuredPlane['type'], make: (i: number) => number): MeasuredPlane => ({
  name,
  type,
  data: Float32Array.from({ length: COUNT }, (_, i) => make(i)),
});
/** Nothing moves but a disc. */
const inDisc = (i: number) => Math.hypot((i % WIDTH) - 30, Math.floor(i / WIDTH) - 20) < 12;
const guess = (names: Partial<PassNames>, planes: readonly MeasuredPlane[]) =>
  guessRole({ file: 'a.####.exr', layer: '', channels: planes.map(({ name, type }) => ({ name, type })), ...names }, measurePass(planes));

describe('a channel is measured', () => {
  test('by its range, its most frequent value and what lies on either side of it', () => {
    const [c] = measurePass([plane('x', 'half', (i) => (inDisc(i) ? (i % 2 ? 3 : -5) : 0.25))]).channels;
    expect(c).toMatchObject({ min: -5, max: 3, rest: 0.25, nan: 0, inf: 0, distinct: 3 });
    expect(c.restShare).toBeGreaterThan(0.8);
    expect(c.belowShare).toBeCloseTo(0.5, 1);
  });
  test('NaN and infinities are counted and touch nothing else', () => {
    const [c] = measurePass([plane('x', 'float', (i) => (i < 5 ? NaN : i < 8 ? Infinity : 1))]).channels;
    expect(c).toMatchObject({ nan: 5, inf: 3, min: 1, max: 1 });
    const [none] = measurePass([plane('x', 'float', () => NaN)]).channels;
    expect(none).toMatchObject({ min: null, max: null, nan: COUNT });
  });
});

describe('what pixels say when names say nothing', () => {
  test.each([
    [
      'signed vectors',
      [
        plane('R', 'half', (i) => (inDisc(i) ? (i % WIDTH) - 30 : 0)),
        plane('G', 'half', (i) => (inDisc(i) ? 4 : 0)),
        plane('B', 'half', () => 0),
      ],
      'motion',
    ],
    [
      'vectors around the middle of 16 bits',
      [
        plane('R', 'u16', (i) => (inDisc(i) ? 0.6 : 32768 / 65535)),
        plane('G', 'u16', (i) => (inDisc(i) ? 0.42 : 32768 / 65535)),
        plane('B', 'u16', () => 0),
      ],
      'motion',
    ],
    [
      'vectors behind a picture curve',
      [
        plane('R', 'u8', (i) => (inDisc(i) ? 0.6 : 187 / 255)),
        plane('G', 'u8', (i) => (inDisc(i) ? 0.9 : 187 / 255)),
        plane('B', 'u8', () => 0),
      ],
      'motion',
    ],
    ['distances', [plane('Y', 'float', (i) => 4 + i * 0.01)], 'depth'],
    ['ids', [plane('Y', 'float', (i) => (inDisc(i) ? 7 : i % WIDTH < 20 ? 3 : 0))], 'ids'],
    ['coverage', [plane('Y', 'u8', (i) => (inDisc(i) ? 1 : 0))], 'matte'],
    [
      'a picture',
      [
        plane('R', 'half', (i) => 0.2 + 0.001 * (i % 300)),
        plane('G', 'half', (i) => 0.1 + 0.001 * (i % 200)),
        plane('B', 'half', (i) => 0.3 + 0.0007 * (i % 500)),
      ],
      'beauty',
    ],
  ] as const)('%s', (_what, planes, role) => {
    const found = guess({}, planes);
    expect(found.role).toBe(role);
    expect(found.reason.length).toBeGreaterThan(10);
  });
  test('a plain name wins over pixels that fit it less', () => {
    const dark = [plane('R', 'half', () => 0), plane('G', 'half', () => 0), plane('B', 'half', () => 0)];
    expect(guess({ file: 'shot_beauty.####.exr' }, dark).role).toBe('beauty');
    expect(guess({ file: 'shot_motion.####.png' }, dark).role).toBe('motion');
  });
  test('parts of words are not words', () => {
    const picture = [plane('R', 'half', (i) => i * 1e-4), plane('G', 'half', (i) => i * 1e-4), plane('B', 'half', (i) => i * 1e-4)];
    for (const file of ['sidewalk.####.exr', 'embassy.####.exr', 'refinery.####.exr', 'masked_ball_beauty.####.exr'])
      expect(guess({ file }, picture).role).toBe('beauty');
  });
});

describe('alpha is measured', () => {
  const alpha = (i: number) => Math.max(0, Math.min(1, (40 - Math.hypot((i % WIDTH) - 32, Math.floor(i / WIDTH) - 24) * 2) / 20));
  const picture = (colour: (a: number, i: number) => number) =>
    measurePass([...['R', 'G', 'B'].map((n) => plane(n, 'half', (i) => colour(alpha(i), i))), plane('A', 'half', alpha)]).alpha;
  test('straight colour rises above its alpha, premultiplied colour never', () => {
    expect(picture((a) => 0.7 * a)?.aboveShare).toBe(0);
    expect(picture((a) => (a > 0 ? 0.7 : 0))?.aboveShare).toBeGreaterThan(0.4);
  });
  test('a matte colour is flat under zero alpha, and is found', () => {
    const matted = picture((a) => 0.7 * a + 0.25 * (1 - a));
    expect(matted?.underShare).toBe(1);
    expect(matted?.underSpread).toBeLessThan(1e-3);
    expect(matted?.underColour[0]).toBeCloseTo(0.25, 3);
    const glow = picture((a, i) => 0.7 * a + (a === 0 ? 0.001 * i : 0));
    expect(glow?.underSpread).toBeGreaterThan(0.5);
  });
  test('without alpha there is nothing to say', () => {
    expect(measurePass([plane('R', 'half', () => 1), plane('G', 'half', () => 1), plane('B', 'half', () => 1)]).alpha).toBeNull();
  });
});

describe('blur at the edges that motion crosses', () => {
  const size = 130;
  /** Coverage of a disc and a bar, averaged along a direction. */
  const coverage = (dx: number, dy: number) =>
    Float32Array.from({ length: size * size }, (_, i) => {
      let sum = 0;
      for (let s = 0; s < 24; s++) {
        const x = (i % size) + 0.5 + ((s - 11.5) / 24) * dx,
          y = Math.floor(i / size) + 0.5 + ((s - 11.5) / 24) * dy;
        const disc = 30 - Math.hypot(x - 45, y - 50),
          bar = Math.min(16 - Math.abs(x - 98), 44 - Math.abs(y - 68));
        sum += Math.min(1, Math.max(0, Math.max(disc, bar) + 0.5));
      }
      return sum / 24;
    });
  /** With the same motion everywhere. */
  const blurAlong = (alpha: Float32Array, x: number, y: number) => {
    const edges = alphaEdges(alpha, size);
    const all = (v: number) => new Float32Array(edges.length).fill(v);
    return measureBlurAtEdges(alpha, size, edges, all(x), all(y));
  };
  test.each([
    [24, 0],
    [0, 24],
    [18, 14],
    [18, -14],
  ])('a picture blurred by (%d, %d) is told from a sharp one, whichever way y points and whatever the scale', (dx, dy) => {
    for (const [flip, scale] of [
      [1, 1],
      [-1, 0.01],
    ]) {
      expect(blurAlong(coverage(dx / 2, dy / 2), dx * scale, dy * scale * flip)?.softer).toBeGreaterThan(2);
      expect(blurAlong(coverage(0, 0), dx * scale, dy * scale * flip)?.softer).toBeLessThan(1.5);
    }
  });
  test('where nothing moves, or nothing ends, nothing is said', () => {
    expect(blurAlong(coverage(0, 0), 0, 0)).toBeNull();
    expect(blurAlong(new Float32Array(size * size).fill(1), 9, 0)).toBeNull();
  });
});

describe('the channel of a data pass that is used', () => {
  test('ids of a Cryptomatte are the bits of the first rank where it covers, 0 elsewhere', () => {
    const bits = Uint32Array.of(cryptomatteId('mill'), cryptomatteId('heron'), cryptomatteId('gear'));
    const planes = [
      { name: '00.R', data: new Float32Array(bits.buffer) },
      { name: '00.G', data: Float32Array.of(1, 0.6, 0) },
      { name: '00.B', data: new Float32Array(3) },
    ];
    expect(idNames(['00.A', '00.B', '00.G', '00.R', '01.R'])).toEqual(['00.G', '00.R']);
    expect(objectIds(planes.slice(0, 2), 3)).toEqual(Uint32Array.of(bits[0], bits[1], 0));
  });
  const id = Float32Array.of(3, 1.5, 0, 3),
    other = Float32Array.of(0.2, 0.9, 0, 0.2),
    alpha = Float32Array.of(1, 1, 0, 1),
    flat = Float32Array.of(1, 1, 1, 1);
  test.each([
    ['the only one', { object: id }, ['object']],
    ['not alpha, which comes first', { A: alpha, B: flat, G: flat, R: id }, ['R']],
    ['named for ids before others', { area: other, objectId: id }, ['objectId']],
    ['one of equal ones', { A: alpha, B: id, G: id, R: id }, ['B']],
    ['a colour for each object', { A: alpha, B: other, G: flat, R: id }, ['B', 'R']],
    ['the first of what are no colours', { x: other, y: id }, ['x']],
    ['alpha when there is nothing else', { A: id }, ['A']],
  ])('ids: %s', (_, channels, expected) => {
    const planes = Object.entries(channels).map(([name, data]) => ({ name, data }));
    expect(idChannelsOf(planes).names).toEqual(expected);
    const ids = objectIds(planes, 2);
    expect([ids[0] === ids[3], ids[0] === ids[1], ids[2]]).toEqual([true, false, 0]);
  });
  test('ids: the channel that was chosen', () =>
    expect(
      objectIds(
        [
          { name: 'R', data: id },
          { name: 'G', data: other },
        ],
        2,
        'G',
      ),
    ).toBe(other));
});

describe('ids whose edges were filtered', () => {
  const W = 48,
    H = 40;
  /** Three upright bands over nothing, and a round thing of another id. */
  const clean = Float32Array.from({ length: W * H }, (_, i) => {
    const x = i % W,
      y = Math.floor(i / W);
    return Math.hypot(x - 34, y - 20) < 9 ? 250 : x < 8 ? 0 : x < 16 ? 3 : x < 24 ? 17 : 0;
  });
  const mean = (across: number) =>
    clean.map((_, i) => {
      let sum = 0,
        n = 0;
      for (let dy = -(across >> 1); dy <= across >> 1; dy++)
        for (let dx = -(across >> 1); dx <= across >> 1; dx++) {
          const x = (i % W) + dx,
            y = Math.floor(i / W) + dy;
          if (x < 0 || y < 0 || x >= W || y >= H) continue;
          sum += clean[y * W + x];
          n++;
        }
      return sum / n;
    });
  test('hold only ids afterwards, each next to where it was', () => {
    const whole = wholeIds(mean(3), W);
    expect(new Set(whole)).toEqual(new Set(clean));
    expect(whole.reduce((n, id, i) => n + (id === clean[i] ? 0 : 1), 0)).toBeLessThan(0.02 * W * H);
  });
  test('clean ones stay the same array, thin things too', () => {
    expect(wholeIds(clean, W)).toBe(clean);
    const stripes = Float32Array.from({ length: W * H }, (_, i) => (Math.floor((i % W) / 2) % 3) * 5);
    expect(wholeIds(stripes, W)).toBe(stripes);
  });
});

describe('Cryptomatte', () => {
  // Values of the specification's own example manifest.
  test.each([
    ['hello', 0x248bfa47],
    ['hello, world', 0x149bbb7f],
    ['', 0x00800000],
  ])('the id of "%s"', (name, id) => {
    expect(cryptomatteId(name)).toBe(id >>> 0);
  });
  test('ids are floats that are neither infinite nor denormal, whatever the name', () => {
    fc.assert(
      fc.property(fc.string(), (name) => {
        const exponent = (cryptomatteId(name) >>> 23) & 255;
        expect(exponent).toBeGreaterThan(0);
        expect(exponent).toBeLessThan(255);
      }),
      { seed: 7 },
    );
  });
  test('names and manifest come from the header; a broken manifest is none', () => {
    const text = (value: string): Attribute => ({ type: 'string', value });
    const header = (manifest: string) =>
      new Map([
        ['cryptomatte/abc1234/name', text('objects')],
        ['cryptomatte/abc1234/manifest', text(manifest)],
        ['comments', text('x')],
      ]);
    expect(cryptomattesOf(header('{"gear":"248bfa47","odd":5}'))).toEqual([{ name: 'objects', manifest: new Map([['gear', 0x248bfa47]]) }]);
    expect(cryptomattesOf(header('{"gear":'))[0].manifest).toBeNull();
    expect([rankOf('objects02', 'objects'), rankOf('objects', 'objects'), rankOf('objectsA1', 'objects')]).toEqual([2, null, null]);
  });
  test('coverage of the chosen objects over all ranks, and what is at a pixel', () => {
    const bits = (...ids: number[]) => new Float32Array(Uint32Array.from(ids).buffer);
    const ranks = rankPlanes([
      { name: '01.R', data: bits(7, 0) },
      { name: '01.G', data: Float32Array.of(0.1, 0) },
      { name: '00.R', data: bits(5, 7) },
      { name: '00.G', data: Float32Array.of(0.6, 1) },
      { name: '00.B', data: bits(6, 0) },
      { name: '00.A', data: Float32Array.of(0.3, 0) },
    ]);
    expect(Array.from(matteOf(ranks, new Set([7])), (v) => Number(v.toFixed(3)))).toEqual([0.1, 1]);
    expect(Array.from(matteOf(ranks, new Set([5, 6])), (v) => Number(v.toFixed(3)))).toEqual([0.9, 0]);
    expect(objectsAt(ranks, 0).map((o) => o.id)).toEqual([5, 6, 7]);
  });
});
