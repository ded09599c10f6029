import {
  auditFrame,
  CLIPPED_X,
  clippedPixels,
  decodeMotion,
  encodeMotion,
  orderedRepairs,
  predictRemapError,
  rawPixels,
  readMotion,
  remapFrame,
  repairField,
  roundRange,
  summarizeAudit,
  type Encoding,
  type FrameAudit,
  type MotionField,
  type RepairContext,
  type RepairStep,
  type SampleType,
  type StoredType,
} from '../src';

const W = 64,
  H = 48;
const NOTHING: RepairContext = { alpha: null, clipped: null, black: null, halfStep: null };

/** A wheel that turns by a twentieth of a radian a frame around the middle, and a still background where `inside` says no. */
function turning(inside: (x: number, y: number) => boolean = () => true, angle = 0.05): MotionField {
  const field: MotionField = {
    width: W,
    height: H,
    twoSided: true,
    toNext: new Float32Array(W * H * 2),
    toPrevious: new Float32Array(W * H * 2),
    valid: new Uint8Array(W * H).fill(1),
  };
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++) {
      if (!inside(x, y)) continue;
      const dx = x - W / 2,
        dy = y - H / 2,
        i = (y * W + x) * 2;
      for (const [out, a] of [
        [field.toNext, angle],
        [field.toPrevious, -angle],
      ] as const) {
        out[i] = dx * Math.cos(a) - dy * Math.sin(a) - dx;
        out[i + 1] = dx * Math.sin(a) + dy * Math.cos(a) - dy;
      }
    }
  return field;
}

function farthest(a: MotionField, b: MotionField, at: (i: number) => boolean = () => true): number {
  let worst = 0;
  for (let i = 0; i < W * H; i++)
    if (at(i)) worst = Math.max(worst, Math.hypot(a.toNext[i * 2] - b.toNext[i * 2], a.toNext[i * 2 + 1] - b.toNext[i * 2 + 1]));
  return worst;
}
const copy = (f: MotionField): MotionField => ({
  ...f,
  toNext: f.toNext.slice(),
  toPrevious: f.toPrevious.slice(),
  valid: f.valid.slice(),
});

describe('repairs', () => {
  test('the program orders them, and leaves out what is off', () => {
    const steps: RepairStep[] = [
      { kind: 'speedLimits', on: true, floorPx: 0, ceilingPx: null },
      { kind: 'growEdges', on: true, reachPx: 3 },
      { kind: 'outliers', on: false },
      { kind: 'recentre', on: true, xPx: 1, yPx: 0 },
    ];
    expect(orderedRepairs(steps).map((s) => s.kind)).toEqual(['recentre', 'growEdges', 'speedLimits']);
  });

  test('the field that is given stays as it is', () => {
    const field = turning(),
      before = field.toNext.slice();
    const { field: mended, changed } = repairField(field, [{ kind: 'recentre', on: true, xPx: 2, yPx: -1 }], NOTHING);
    expect(field.toNext).toEqual(before);
    expect(mended.toNext[0]).toBeCloseTo(before[0] - 2, 5);
    expect(mended.toPrevious[1]).toBeCloseTo(field.toPrevious[1] - 1, 5);
    expect(changed.recentre).toBe(W * H);
  });

  test('holes in a turning wheel get the motion that was there', () => {
    const truth = turning(),
      hurt = copy(truth);
    const hole = (i: number) => i % 7 === 0 || Math.hypot((i % W) - 20, Math.floor(i / W) - 15) < 5;
    for (let i = 0; i < W * H; i++)
      if (hole(i)) {
        hurt.valid[i] = 0;
        hurt.toNext[i * 2] = 99;
      }
    const { field, changed } = repairField(hurt, [{ kind: 'fillHoles', on: true, clipped: false }], NOTHING);
    expect(changed.fillHoles).toBe(truth.valid.filter((_, i) => hole(i)).length);
    expect(field.valid.every((v) => v === 1)).toBe(true);
    expect(farthest(field, truth)).toBeLessThan(0.02);
  });

  test('where the range clipped, the motion goes on as beside it: 3 px of error become less than 0.1', () => {
    const truth = turning(undefined, 0.2);
    const encoding: Encoding = { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 3.2, unit: 'px' } };
    const { planes, clippedPixels: count } = encodeMotion(truth, encoding, 'u16', null, null);
    const stored = { planes, width: W, height: H, fps: null, beautyAlpha: null };
    const types = new Map<string, SampleType>([
      ['R', 'u16'],
      ['G', 'u16'],
    ]);
    expect(count).toBeGreaterThan(100);
    expect(clippedPixels(stored, encoding, types).count).toBeGreaterThanOrEqual(count);
    const plain = readMotion(stored, types, encoding, [], null).field,
      mended = readMotion(stored, types, encoding, [{ kind: 'fillHoles', on: true, clipped: true }], null).field;
    expect(farthest(plain, truth)).toBeGreaterThan(3);
    expect(farthest(mended, truth)).toBeLessThan(0.1);
  });

  test('of a clipped vector the other component is kept, and nothing becomes shorter than it was stored', () => {
    const truth = turning((x, y) => Math.hypot(x - W / 2, y - H / 2) < 22, 0.2);
    // x alone runs into the wall; the type is one that has no ends.
    const stored = {
      planes: new Map([
        ['R', Float32Array.from(truth.valid, (_, i) => Math.min(2.5, Math.max(-2.5, truth.toNext[i * 2])))],
        ['G', Float32Array.from(truth.valid, (_, i) => truth.toNext[i * 2 + 1])],
      ]),
      width: W,
      height: H,
      fps: null,
      beautyAlpha: null,
    };
    const { mask } = clippedPixels(stored, rawPixels('R', 'G'), new Map());
    expect(new Set(mask)).toEqual(new Set([0, CLIPPED_X]));
    const { field } = readMotion(stored, new Map(), rawPixels('R', 'G'), [{ kind: 'fillHoles', on: true, clipped: true }], null);
    for (let i = 0; i < W * H; i++) {
      expect(field.toNext[i * 2 + 1]).toBe(truth.toNext[i * 2 + 1]);
      expect(Math.abs(field.toNext[i * 2])).toBeGreaterThanOrEqual(Math.min(2.5, Math.abs(truth.toNext[i * 2])) - 1e-6);
    }
    expect(farthest(field, truth)).toBeLessThan(0.02);
  });

  test('a thing that moves evenly, and the top of a smooth hill in 8 bits, are no walls', () => {
    const card = (x: number, y: number) => Math.abs(x - 20) < 10 && Math.abs(y - 20) < 10;
    const plane = (value: (x: number, y: number) => number) =>
      Float32Array.from({ length: W * H }, (_, i) => value(i % W, Math.floor(i / W)));
    const read = (x: Float32Array, encoding: Encoding, type: SampleType) =>
      clippedPixels(
        {
          planes: new Map([
            ['R', x],
            ['G', plane(() => encoding.zero)],
          ]),
          width: W,
          height: H,
          fps: null,
          beautyAlpha: null,
        },
        encoding,
        new Map([
          ['R', type],
          ['G', type],
        ]),
      ).count;
    // A card that goes 9 px to the right in front of a wheel that is slower.
    const even = plane((x, y) => (card(x, y) ? 9 : x > 34 ? (y - 20) / 8 : 0));
    expect(read(even, rawPixels('R', 'G'), 'float')).toBe(0);
    const centred: Encoding = { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 64, unit: 'px' } };
    const hill = plane((x, y) => Math.round(255 * (0.5 + 0.3 * Math.exp(-((x - 30) ** 2 + (y - 24) ** 2) / 200))) / 255);
    expect(read(hill, centred, 'u8')).toBe(0);
    // Cut off, the same hill has one.
    expect(
      read(
        hill.map((v) => Math.min(v, 170 / 255)),
        centred,
        'u8',
      ),
    ).toBeGreaterThan(100);
  });

  test('black under a centred zero is a hole, black under a plain one stands still', () => {
    const truth = turning();
    const centred: Encoding = { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 8, unit: 'px' } };
    for (const [encoding, fills] of [
      [centred, true],
      [rawPixels('R', 'G'), false],
    ] as const) {
      const { planes } = encodeMotion(truth, encoding, 'float', null, null);
      for (const plane of planes.values()) plane[500] = 0;
      const stored = { planes, width: W, height: H, fps: null, beautyAlpha: null };
      const { field } = readMotion(stored, new Map(), encoding, [{ kind: 'fillHoles', on: true, clipped: false }], null);
      const speed = Math.hypot(field.toNext[1000], field.toNext[1001]);
      if (fills) expect(farthest(field, truth)).toBeLessThan(0.02);
      else expect(speed).toBe(0);
    }
  });

  test('a filtered edge between two motions takes sides; a clean edge and a smooth field stay', () => {
    const clean = turning((x) => x < 30, 0.3),
      hurt = copy(clean);
    // A pixel in between at the edge, as a filtered pass has.
    for (let y = 0; y < H; y++) for (const c of [0, 1]) hurt.toNext[(y * W + 30) * 2 + c] = clean.toNext[(y * W + 29) * 2 + c] * 0.5;
    const { field, changed } = repairField(hurt, [{ kind: 'outliers', on: true }], NOTHING);
    // Nearer to the axle the two motions differ by less than what counts as another motion.
    const rows = Array.from({ length: H }, (_, y) => y).filter((y) => Math.abs(y - H / 2) > 9);
    const mixed = (f: MotionField) => {
      let n = 0;
      for (const y of rows) {
        const at = (x: number) => Math.hypot(f.toNext[(y * W + x) * 2], f.toNext[(y * W + x) * 2 + 1]);
        if (at(30) > 0.3 * at(29) && at(30) < 0.7 * at(29)) n++;
      }
      return n;
    };
    expect([mixed(hurt), mixed(field)]).toEqual([rows.length, 0]);
    expect(changed.outliers).toBeGreaterThan(H * 0.6);
    expect(farthest(repairField(clean, [{ kind: 'outliers', on: true }], NOTHING).field, clean)).toBe(0);
  });

  test('soft edges carry on the motion of the surface beside them, no further than the reach', () => {
    const truth = turning(),
      alpha = new Float32Array(W * H).map((_, i) => Math.min(1, Math.max(0, (40 - (i % W)) / 8)));
    const hurt = copy(truth);
    for (let i = 0; i < W * H; i++) if (alpha[i] < 0.98) hurt.toNext[i * 2] = hurt.toNext[i * 2 + 1] = 0;
    const { field } = repairField(hurt, [{ kind: 'growEdges', on: true, reachPx: 4 }], { ...NOTHING, alpha });
    const at = (x: number) => (10 * W + x) * 2;
    // Column 32 is the last covered one.
    for (const x of [33, 36]) expect(Math.abs(field.toNext[at(x)] - truth.toNext[at(x)])).toBeLessThan(0.02);
    expect(Math.abs(truth.toNext[at(36) + 1] - truth.toNext[at(32) + 1])).toBeGreaterThan(0.1);
    expect(field.toNext[at(38)]).toBe(0);
  });

  test('mixed with what stands still behind: divided by alpha', () => {
    const truth = turning(),
      alpha = new Float32Array(W * H).fill(0.5);
    const hurt = copy(truth);
    for (const v of [hurt.toNext, hurt.toPrevious]) v.forEach((value, i) => (v[i] = value * 0.5));
    expect(farthest(repairField(hurt, [{ kind: 'unmix', on: true }], { ...NOTHING, alpha }).field, truth)).toBeLessThan(1e-6);
  });

  describe('steps of whole numbers', () => {
    const encoding: Encoding = { ...rawPixels('R', 'G'), zero: 128 / 255, fullScale: { stored: 1, equals: 64, unit: 'px' } };
    const types = new Map<string, SampleType>([
      ['R', 'u8'],
      ['G', 'u8'],
    ]);
    /** Half a step, pixels. */
    const half = (0.5 * 64) / 127;
    const read = (truth: MotionField, smooth: boolean, given: Encoding = encoding) => {
      const { planes } = encodeMotion(truth, given, 'u8', null, null);
      const stored = { planes, width: W, height: H, fps: null, beautyAlpha: null };
      return readMotion(stored, types, given, [{ kind: 'smoothSteps', on: smooth }], null);
    };
    const mean = (a: MotionField, b: MotionField) => {
      let sum = 0;
      for (let i = 0; i < a.toNext.length; i++) sum += Math.abs(a.toNext[i] - b.toNext[i]);
      return sum / a.toNext.length;
    };

    test('a slow turn comes back three times as exact, and nothing leaves the interval of its code', () => {
      const truth = turning();
      const coarse = read(truth, false).field,
        { field, changed } = read(truth, true);
      expect(mean(coarse, truth)).toBeGreaterThan(0.45 * half);
      expect(mean(field, truth)).toBeLessThan(mean(coarse, truth) / 3);
      for (const side of ['toNext', 'toPrevious'] as const)
        for (let i = 0; i < field[side].length; i++) expect(Math.abs(field[side][i] - coarse[side][i])).toBeLessThanOrEqual(half * 1.0001);
      expect(changed.smoothSteps).toBeGreaterThan(W * H * 0.9);
    });

    test('through a curve the steps are uneven, and each is smoothed by its own', () => {
      const truth = turning(),
        curved: Encoding = { ...encoding, transfer: { kind: 'srgb' }, zero: 0.5 };
      const coarse = read(truth, false, curved).field;
      expect(mean(read(truth, true, curved).field, truth)).toBeLessThan(mean(coarse, truth) / 2.5);
    });

    test('an edge between two motions stays where it is', () => {
      const truth = turning((x) => x < 30, 0.5);
      const { field } = read(truth, true);
      // What stands still is stored exactly, and a wheel this fast is many steps away but for its axle.
      const rows = (i: number) => Math.abs(Math.floor(i / W) - H / 2) > 6;
      expect(farthest(field, truth, (i) => i % W === 30 && rows(i))).toBeLessThan(1e-5);
      expect(farthest(field, truth, (i) => i % W === 29 && rows(i))).toBeLessThan(2 * half);
    });

    test('floats have no steps', () => {
      const { planes } = encodeMotion(turning(), encoding, 'float', null, null);
      const stored = { planes, width: W, height: H, fps: null, beautyAlpha: null };
      expect(readMotion(stored, new Map(), encoding, [{ kind: 'smoothSteps', on: true }], null).changed.smoothSteps).toBe(0);
    });
  });

  test('floor and ceiling: slow stands still, fast keeps its direction', () => {
    const { field } = repairField(turning(), [{ kind: 'speedLimits', on: true, floorPx: 0.4, ceilingPx: 1 }], NOTHING);
    const speeds = Array.from({ length: W * H }, (_, i) => Math.hypot(field.toNext[i * 2], field.toNext[i * 2 + 1]));
    expect(speeds.every((s) => s === 0 || (s >= 0.4 && s <= 1 + 1e-6))).toBe(true);
    const corner = turning();
    expect(field.toNext[1] / field.toNext[0]).toBeCloseTo(corner.toNext[1] / corner.toNext[0], 4);
  });
});

describe('audit', () => {
  test('peak, place, mean and bad pixels of a frame, worked out by hand', () => {
    const x = new Float32Array(W * H),
      y = new Float32Array(W * H);
    x[100] = 3;
    y[100] = -4;
    x[101] = 1;
    x[102] = NaN;
    y[103] = Infinity;
    const planes = new Map([
      ['x', x],
      ['y', y],
    ]);
    const audit = auditFrame({ planes, width: W, height: H, fps: null, beautyAlpha: null }, rawPixels('x', 'y'), new Map());
    expect(audit).toMatchObject({ peakPx: 5, rangePx: 4, meanPx: 3, nan: 1, inf: 1, invalid: 2, clipped: 0, at: { x: 100 - W, y: 1 } });
  });

  test('whole numbers at their ends are clipped, what stands still there is not', () => {
    const encoding: Encoding = { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 8, unit: 'px' } };
    const plane = (first: number[]) => Float32Array.from({ length: W * H }, (_, i) => first[i] ?? 0.5);
    const types = new Map<string, SampleType>([
      ['R', 'u8'],
      ['G', 'u8'],
    ]);
    const clipped = (r: number[], g: number[], e = encoding) =>
      clippedPixels(
        {
          planes: new Map([
            ['R', plane(r)],
            ['G', plane(g)],
          ]),
          width: W,
          height: H,
          fps: null,
          beautyAlpha: null,
        },
        e,
        types,
      ).count;
    expect(clipped([1, 0.9, 0], [0.5, 0.5, 0.5])).toBe(2);
    expect(clipped([0], [0])).toBe(1);
    // The value for no vector is no wall.
    expect(clipped([1, 1], [0.5, 0.5], { ...encoding, noData: 1 })).toBe(0);
  });

  test('the frame that decides the range is named, with head-room and the steps of each type', () => {
    const frame = (rangePx: number, clipped = 0): FrameAudit => ({
      peakPx: rangePx,
      p999Px: rangePx,
      meanPx: 1,
      rangePx,
      steadyRangePx: rangePx / 2,
      clipped,
      nan: 0,
      inf: 0,
      invalid: 0,
      at: { x: 0, y: 0 },
    });
    const summary = summarizeAudit([
      { frame: 1001, audit: frame(10) },
      { frame: 1002, audit: frame(33.5, 4) },
      { frame: 1003, audit: frame(20) },
    ]);
    expect(summary).toMatchObject({
      widestFrame: 1002,
      rangePx: 33.5,
      suggestedRangePx: 40,
      clippedFrames: [1002],
      steadySuggestionPx: 20,
    });
    expect(summary.stepPx.u8).toBeCloseTo(80 / 255, 9);
    expect(summary.stepPx.u16).toBeCloseTo(80 / 65535, 9);
    expect([0, 0.7, 7, 31, 33, 61, 100, 130].map(roundRange)).toEqual([1, 0.8, 8, 32, 40, 64, 100, 200]);
  });
});

describe('remapping', () => {
  const field = turning(undefined, 0.4);
  const two = (e: Encoding): Encoding => ({
    ...e,
    sets: [e.sets[0], { x: 'B', y: 'A', length: null, covers: { from: 0, to: -1, unit: 'frames' } }],
  });
  const targets: [string, Encoding, StoredType][] = [
    ['centred 8 bits', { ...rawPixels('R', 'G'), zero: 128 / 255, fullScale: { stored: 1, equals: 24, unit: 'px' } }, 'u8'],
    [
      'centred 16 bits, y up',
      { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 24, unit: 'px' }, axes: { x: 'right', y: 'up' } },
      'u16',
    ],
    ['half frames in halves', { ...rawPixels('R', 'G'), fullScale: { stored: 1, equals: 1, unit: 'halfFrame' } }, 'half'],
    [
      'per second in halves',
      { ...rawPixels('R', 'G'), sets: [{ x: 'R', y: 'G', length: null, covers: { from: 0, to: 1, unit: 'seconds' } }] },
      'half',
    ],
    ['both sets, 16 bits', two({ ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 24, unit: 'px' } }), 'u16'],
    [
      'sRGB curve, 16 bits',
      { ...rawPixels('R', 'G'), transfer: { kind: 'srgb' }, zero: 0.5, fullScale: { stored: 1, equals: 24, unit: 'px' } },
      'u16',
    ],
    [
      'direction and length, 16 bits',
      {
        ...rawPixels('R', 'G'),
        zero: 0.5,
        fullScale: { stored: 1, equals: 32, unit: 'px' },
        sets: [{ x: 'R', y: 'G', length: 'B', covers: { from: 0, to: 1, unit: 'frames' } }],
      },
      'u16',
    ],
    ['floats', rawPixels('R', 'G'), 'float'],
  ];
  test.each(targets)('%s: the error stays below what is said beforehand, and is not far below', (_, encoding, type) => {
    let range = 0;
    for (const v of [...field.toNext, ...field.toPrevious]) range = Math.max(range, Math.abs(v));
    const size = { width: W, height: H, fps: 24 };
    const predicted = predictRemapError(encoding, type, range, size),
      { maxErrorPx, clippedPixels: clipped } = remapFrame(field, encoding, type, 24, null);
    expect(clipped).toBe(0);
    // Decoding itself rounds to float32.
    expect(maxErrorPx).toBeLessThanOrEqual(predicted + 4e-6);
    if (type !== 'float') expect(maxErrorPx).toBeGreaterThan(0.2 * predicted);
  });

  test('what does not fit is counted, and the count is that of pixels beyond the range', () => {
    const encoding: Encoding = { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 6, unit: 'px' } };
    let beyond = 0;
    for (let i = 0; i < W * H; i++)
      if (Math.max(Math.abs(field.toNext[i * 2]), Math.abs(field.toNext[i * 2 + 1])) > 6 * (1 + 1 / 65535)) beyond++;
    const remapped = remapFrame(field, encoding, 'u16', null, null);
    expect(beyond).toBeGreaterThan(50);
    expect(remapped.clippedPixels).toBe(beyond);
    expect(remapped.maxErrorPx).toBeLessThan(0.001);
    const back = decodeMotion({ planes: remapped.planes, width: W, height: H, fps: null, beautyAlpha: null }, encoding);
    expect(Math.max(...back.toNext)).toBeLessThanOrEqual(6.0001);
  });
});
