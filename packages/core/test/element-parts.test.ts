import {
  addGrain,
  applyMatte,
  blendPixels,
  BRIGHT_FRINGE,
  DARK_FRINGE,
  describeConform,
  fitPlate,
  likelyShadowReading,
  measureFringe,
  mattePlane,
  measureGrain,
  PLAIN_SHAPE,
  shapePicture,
  plateBox,
  plateFrame,
  shadowPicture,
  softenPlane,
  speedFigures,
  trimMatte,
  vignetteAt,
  withMatteEdge,
  emptyMotionField,
} from '../src';

describe('edges of mattes', () => {
  const W = 60,
    H = 50;
  /** A half plane whose edge lies at a distance from the middle along a direction; a pixel's value is the covered share. */
  const halfPlane = (angle: number, at: number) =>
    Float32Array.from({ length: W * H }, (_, i) => {
      const d = ((i % W) + 0.5 - W / 2) * Math.cos(angle) + (Math.floor(i / W) + 0.5 - H / 2) * Math.sin(angle) - at;
      return Math.min(1, Math.max(0, 0.5 - d));
    });
  const area = (plane: Float32Array) => {
    let sum = 0;
    for (let y = 15; y < 35; y++) for (let x = 10; x < 50; x++) sum += plane[y * W + x];
    return sum;
  };

  test.each([0.25, 0.5, 1, 2.6, -0.4, -1.7])('a straight edge moves by %s px', (px) => {
    for (const angle of [0, 0.4, Math.PI / 4]) {
      const moved = trimMatte(halfPlane(angle, 1.3), W, H, px);
      const went = ((area(halfPlane(angle, 1.3)) - area(moved)) / 20) * Math.cos(angle);
      expect(Math.abs(went - px)).toBeLessThan(0.05);
    }
  });

  test('what is half clear inside stays half clear', () => {
    const veil = new Float32Array(W * H).fill(0.4);
    expect(trimMatte(veil, W, H, 3)).toEqual(veil);
  });

  test.each([0.3, 1, 3.5])('softening by %s px makes an edge of just that deviation and loses no cover', (sigma) => {
    const hard = Float32Array.from({ length: 101 * 5 }, (_, i) => (i % 101 < 50 ? 1 : 0)),
      soft = softenPlane(hard, 101, 5, sigma);
    let sum = 0,
      spread = 0,
      cover = 0;
    for (let x = 0; x < 100; x++) {
      const slope = soft[2 * 101 + x] - soft[2 * 101 + x + 1];
      sum += slope;
      spread += slope * (x + 1 - 50) ** 2;
      cover += soft[2 * 101 + x];
    }
    expect(sum).toBeCloseTo(1, 4);
    expect(cover).toBeCloseTo(50, 1);
    expect(Math.abs(Math.sqrt(spread) / sigma - 1)).toBeLessThan(0.06);
  });

  test('colour follows its alpha, and goes on where the matte grows', () => {
    const rgba = new Float32Array(W * H * 4);
    halfPlane(0, 0.3).forEach((a, i) => rgba.set([0.5 * a, 0.25 * a, a, a], i * 4));
    for (const edge of [
      { trimPx: 1.5, softenPx: 0 },
      { trimPx: -2.5, softenPx: 1 },
    ]) {
      const out = withMatteEdge(rgba, W, H, edge);
      for (let i = 0; i < W * H; i++) {
        const a = out[i * 4 + 3];
        expect(out[i * 4]).toBeCloseTo(0.5 * a, 5);
        expect(out[i * 4 + 2]).toBeCloseTo(a, 5);
      }
    }
    expect(withMatteEdge(rgba, W, H, { trimPx: 0, softenPx: 0 })).toBe(rgba);
  });

  test('a matte keeps its share of all four channels; inverted the rest', () => {
    const rgba = Float32Array.of(1, 0.5, 0.25, 1, 1, 0.5, 0.25, 1, 1, 1, 1, 1);
    const inverted = rgba.slice();
    applyMatte(rgba, Float32Array.of(0.5, 2, NaN), false);
    applyMatte(inverted, Float32Array.of(0.5, 2, NaN), true);
    expect([...rgba]).toEqual([0.5, 0.25, 0.125, 0.5, 1, 0.5, 0.25, 1, 0, 0, 0, 0]);
    expect([...inverted]).toEqual([0.5, 0.25, 0.125, 0.5, 0, 0, 0, 0, 1, 1, 1, 1]);
  });

  test('dark and bright fringes are told from clean edges', () => {
    // `light`: straight light of a pixel by how much of it is covered.
    const measured = (light: (cover: number) => number) => {
      const planes = [0, 1, 2, 3].map(() => new Float32Array(W * H));
      halfPlane(0.3, 0).forEach((a, i) => {
        for (let c = 0; c < 3; c++) planes[c][i] = a * 0.4 * light(a);
        planes[3][i] = a;
      });
      // Several rows of edges, so that there are enough.
      const many = planes.map((p) => Float32Array.from({ length: p.length * 8 }, (_, i) => p[i % p.length]));
      return measureFringe([many[0], many[1], many[2]], many[3], W)?.ratio ?? NaN;
    };
    expect(measured(() => 1)).toBeCloseTo(1, 3);
    // Multiplied by alpha once more, and matted on white.
    expect(measured((a) => a)).toBeLessThan(DARK_FRINGE);
    expect(measured((a) => (a === 0 ? 1 : (0.4 * a + 1 - a) / a / 0.4))).toBeGreaterThan(BRIGHT_FRINGE);
    // An outline of its own is no fringe.
    expect(measured((a) => (a < 0.99 ? 0.6 : 1))).toBeCloseTo(1, 2);
    expect(measureFringe([new Float32Array(9), new Float32Array(9), new Float32Array(9)], new Float32Array(9), 3)).toBeNull();
  });
});

describe('what of a picture is an element', () => {
  const named = (...names: string[]) => names.map((name, n) => ({ name, data: Float32Array.of(n, n + 0.25, 0, 1) }));

  test('a matte pass holds it in its alpha, else in its only or first channel', () => {
    expect([...mattePlane({ width: 4, height: 1, planes: named('R', 'A') }, { kind: 'pass', invert: false }, 4, 1)]).toEqual([
      1, 1.25, 0, 1,
    ]);
    expect([...mattePlane({ width: 4, height: 1, planes: named('Y') }, { kind: 'pass', invert: false }, 4, 1)]).toEqual([0, 0.25, 0, 1]);
    expect(mattePlane({ width: 4, height: 1, planes: named('A') }, { kind: 'pass', invert: false }, 8, 2)).toHaveLength(16);
  });

  test('objects are values of an ids pass, or ids of a Cryptomatte with their coverage', () => {
    const plain = { width: 4, height: 1, planes: [{ name: 'object', data: Float32Array.of(0, 3, 7, 3) }] };
    expect([...mattePlane(plain, { kind: 'objects', ids: [3], invert: false }, 4, 1)]).toEqual([0, 1, 0, 1]);
    const bits = (...ids: number[]) => new Float32Array(Uint32Array.from(ids).buffer);
    const ranks = [
      { name: '00.R', data: bits(11, 11, 22, 0) },
      { name: '00.G', data: Float32Array.of(1, 0.75, 0.5, 0) },
      { name: '00.B', data: bits(0, 22, 11, 0) },
      { name: '00.A', data: Float32Array.of(0, 0.25, 0.25, 0) },
    ];
    const found = mattePlane({ width: 4, height: 1, planes: ranks }, { kind: 'objects', ids: [11], invert: false }, 4, 1);
    expect([...found]).toEqual([1, 0.75, 0.25, 0]);
  });

  test('it is cut out first, then its edge moves, and a shadow takes the matte for its alpha', () => {
    const opaque = new Float32Array(16).fill(1);
    const cut = { plane: Float32Array.of(1, 0.5, 0, 1), invert: false };
    expect(shapePicture(opaque, 4, 1, false, null, PLAIN_SHAPE)).toBe(opaque);
    expect([...shapePicture(opaque, 4, 1, false, cut, PLAIN_SHAPE)].filter((_, k) => k % 4 === 3)).toEqual([1, 0.5, 0, 1]);
    const shadow = shapePicture(opaque, 4, 1, false, cut, { ...PLAIN_SHAPE, shadow: { reads: 'density', way: 'holdOut' } });
    expect([...shadow]).toEqual([0, 0, 0, 1, 0, 0, 0, 0.5, 0, 0, 0, 0, 0, 0, 0, 1]);
    expect(opaque.every((v) => v === 1)).toBe(true);
  });
});

describe('shadows', () => {
  test('density holds light out, light that is left multiplies, and both agree on grey', () => {
    const density = Float32Array.of(0, 0, 0, 0.25, 0, 0, 0, 0.75),
      light = Float32Array.of(0.75, 0.75, 0.75, 1, 0.25, 0.25, 0.25, 1);
    const below = Float32Array.of(0.4, 0.8, 0.2, 1, 0.4, 0.8, 0.2, 1);
    const held = below.slice(),
      multiplied = below.slice();
    blendPixels(held, shadowPicture(density, 2, 1, true, { reads: 'density', way: 'holdOut' }, 0), 'over', 0.6);
    blendPixels(multiplied, shadowPicture(light, 2, 1, false, { reads: 'light', way: 'multiply' }, 0), 'multiply', 0.6);
    held.forEach((v, i) => expect(v).toBeCloseTo(multiplied[i], 6));
    expect(held[0]).toBeCloseTo(0.4 * (1 - 0.6 * 0.25), 6);
  });

  test('which of the two a pass is shows in what it rests at', () => {
    expect(likelyShadowReading(false, 1)).toBe('light');
    expect(likelyShadowReading(false, 0)).toBe('density');
    expect(likelyShadowReading(true, 1)).toBe('density');
  });
});

describe('finish', () => {
  test('a vignette leaves the middle and takes its share of the corner', () => {
    const vignette = { amount: 0.4, radius: 0.5, softness: 0.5 };
    expect(vignetteAt(vignette, 50, 50, 101, 101)).toBe(1);
    expect(vignetteAt(vignette, 0, 0, 1000, 1000)).toBeCloseTo(0.6, 2);
  });

  test.each([0, 0.6, 1.1])('grain of size %s px that is added is measured again', (sizePx) => {
    const W = 256,
      H = 128,
      model = { floor: [0.0002, 0.0004, 0.0001], slope: [0.002, 0.001, 0.003], sizePx } as const;
    const rgba = new Float32Array(W * H * 4);
    // A ramp of light, so that the slope can be told.
    for (let i = 0; i < W * H; i++) rgba.set([0.1 + (0.5 * (i % W)) / W, 0.3, 0.2 + (0.3 * (i % W)) / W, 1], i * 4);
    addGrain(rgba, W, model, new Float32Array(W * H).fill(1), 7, 0, H);
    const found = measureGrain(rgba, W, { x0: 0, y0: 0, x1: W, y1: H });
    if (found === null) throw new Error('nothing was measured');
    for (const c of [0, 1, 2]) {
      const wanted = Math.sqrt(model.floor[c] + model.slope[c] * found.light[c]);
      expect(Math.abs(found.deviation[c] / wanted - 1)).toBeLessThan(0.12);
    }
    expect(Math.abs(found.model.sizePx - sizePx)).toBeLessThan(0.2);
  });

  test('where the plate is half covered just what its own grain lacks is added', () => {
    const W = 200,
      H = 200,
      model = { floor: [0.01, 0.01, 0.01], slope: [0, 0, 0], sizePx: 0 } as const;
    const deviationAt = (covered: number) => {
      const rgba = new Float32Array(W * H * 4);
      addGrain(rgba, W, model, new Float32Array(W * H).fill(covered), 3, 0, H);
      let squares = 0;
      for (let i = 0; i < W * H; i++) squares += rgba[i * 4] ** 2;
      return Math.sqrt(squares / (W * H));
    };
    expect(deviationAt(0)).toBe(0);
    expect(deviationAt(1)).toBeCloseTo(0.1, 2);
    expect(deviationAt(0.5)).toBeCloseTo(0.1 * Math.sqrt(0.75), 2);
  });

  test('too small a region measures nothing', () => {
    expect(measureGrain(new Float32Array(40 * 40 * 4), 40, { x0: 0, y0: 0, x1: 12, y1: 12 })).toBeNull();
  });
});

describe('plates', () => {
  test('another rate is met by time or left as it is, and said', () => {
    expect([1001, 1002, 1025, 1049].map((f) => plateFrame('time', f, 1001, 24, 25))).toEqual([1001, 1002, 1026, 1051]);
    expect([0, 1, 2, 3, 4].map((f) => plateFrame('time', f, 0, 24, 12))).toEqual([0, 0, 1, 1, 2]);
    expect(plateFrame('asIs', 1030, 1001, 24, 25)).toBe(1030);
    expect(describeConform('time', 24, 25)).toContain('4.0 % of its frames are dropped');
    expect(describeConform('time', 24, 12)).toContain('50.0 % of the frames repeat');
    expect(describeConform('asIs', 24, 25)).toContain('96.0 % of its speed');
    expect(describeConform('asIs', 24, 24)).toContain('the same rate');
  });

  test('where it lies follows its shape, pixel aspect included', () => {
    const frame = { width: 960, height: 540, pixelAspect: 1 };
    expect(plateBox({ width: 1920, height: 1080, pixelAspect: 1 }, frame, 'fit')).toEqual({ x: 0, y: 0, width: 960, height: 540 });
    expect(plateBox({ width: 720, height: 576, pixelAspect: 16 / 15 }, frame, 'fit')).toEqual({ x: 120, y: 0, width: 720, height: 540 });
    expect(plateBox({ width: 720, height: 576, pixelAspect: 16 / 15 }, frame, 'fill')).toEqual({ x: 0, y: -90, width: 960, height: 720 });
    expect(plateBox({ width: 480, height: 270, pixelAspect: 1 }, frame, 'asIs')).toEqual({ x: 240, y: 135, width: 480, height: 270 });
  });

  test('made smaller it is averaged, so that no line is lost; outside it there is nothing', () => {
    const lines = new Float32Array(40 * 20 * 4);
    for (let i = 0; i < 800; i++) lines.set([i % 2, 0.5, 0, 1], i * 4);
    const out = fitPlate(lines, { width: 40, height: 20, pixelAspect: 1 }, { width: 20, height: 20, pixelAspect: 1 }, 'fit');
    const at = (x: number, y: number) => [...out.subarray((y * 20 + x) * 4, (y * 20 + x) * 4 + 4)];
    expect(at(10, 10)).toEqual([0.5, 0.5, 0, 1]);
    expect(at(10, 2)).toEqual([0, 0, 0, 0]);
    const same = fitPlate(lines, { width: 40, height: 20, pixelAspect: 1 }, { width: 40, height: 20, pixelAspect: 1 }, 'fill');
    expect(same).toBe(lines);
  });
});

test('speeds are those of covered pixels with vectors', () => {
  const field = emptyMotionField(10, 10, false),
    rgba = new Float32Array(400);
  for (let i = 0; i < 100; i++) {
    field.toNext.set([i, 0], i * 2);
    field.valid[i] = i < 90 ? 1 : 0;
    rgba[i * 4 + 3] = i < 50 ? 0 : 1;
  }
  expect(speedFigures(field, rgba)).toEqual({ median: 70, fast: 87 });
  expect(speedFigures(emptyMotionField(2, 2, false), new Float32Array(16))).toBeNull();
});
