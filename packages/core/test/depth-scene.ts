import { emptyMotionField, type DepthFrame, type MotionField, type SampleType } from '../src';

/** Ray-cast spheres over a slanted floor before nothing or a sky, seen by a pinhole camera: exact distances and vectors, no code of the product. */

export const SIZE = { width: 160, height: 90 };
const FOCAL = 140;

export interface Ball {
  readonly at: readonly [number, number, number];
  readonly radius: number;
  /** Scene units a frame. */
  readonly moves: readonly [number, number, number];
}

export interface Scene {
  readonly balls: readonly Ball[];
  /** Height of the floor below the camera; null: none. */
  readonly floor: number | null;
  /** Everything behind is covered by a sky. */
  readonly sky?: boolean;
}

export const SCENES: Readonly<Record<string, Scene>> = {
  'balls that cross over nothing': {
    balls: [
      { at: [-1.2, 0, 5], radius: 1, moves: [0.35, 0, 0] },
      { at: [0.6, 0.2, 8], radius: 1.6, moves: [-0.3, 0, 0] },
      { at: [2.2, -0.8, 12], radius: 1.5, moves: [0.1, 0.2, 0] },
    ],
    floor: null,
  },
  'balls over a floor': {
    balls: [
      { at: [-1, 0.2, 6], radius: 0.9, moves: [0.4, 0, 0] },
      { at: [1.5, 0, 11], radius: 1.2, moves: [-0.5, 0, 0] },
    ],
    floor: 1.1,
  },
  'a ball before a sky': {
    balls: [
      { at: [-1, 0, 7], radius: 1.5, moves: [0.5, 0.1, 0] },
      { at: [1, -0.5, 20], radius: 3, moves: [-0.2, 0, 0] },
    ],
    floor: 1.4,
    sky: true,
  },
};

export interface Rendered {
  /** Along the view axis; 0 where nothing is. */
  readonly distance: Float32Array;
  readonly alpha: Float32Array;
  readonly motion: MotionField;
}

export function render({ balls, floor, sky = false }: Scene, time: number): Rendered {
  const { width, height } = SIZE,
    count = width * height;
  const distance = new Float32Array(count),
    alpha = new Float32Array(count),
    motion = emptyMotionField(width, height, true);
  const samples = [-0.25, 0.25];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      for (const sy of samples)
        for (const sx of samples) if (sky || hit(balls, floor, time, x + 0.5 + sx, y + 0.5 + sy) !== null) alpha[i] += 0.25;
      const found = hit(balls, floor, time, x + 0.5, y + 0.5);
      motion.valid[i] = 1;
      if (found === null) continue;
      distance[i] = found.z;
      for (const [out, way] of [
        [motion.toNext, 1],
        [motion.toPrevious, -1],
      ] as const) {
        const p = found.point.map((v, k) => v + way * (found.ball?.moves[k] ?? 0));
        out[i * 2] = width / 2 + (FOCAL * p[0]) / p[2] - (x + 0.5);
        out[i * 2 + 1] = height / 2 + (FOCAL * p[1]) / p[2] - (y + 0.5);
      }
    }
  return { distance, alpha, motion };
}

function hit(balls: readonly Ball[], floor: number | null, time: number, px: number, py: number) {
  const d = [(px - SIZE.width / 2) / FOCAL, (py - SIZE.height / 2) / FOCAL, 1];
  let best: { z: number; point: number[]; ball: Ball | null } | null = null;
  const offer = (z: number, ball: Ball | null) => {
    if (z > 0.1 && (best === null || z < best.z)) best = { z, point: d.map((v) => v * z), ball };
  };
  for (const ball of balls) {
    const c = ball.at.map((v, k) => v + time * ball.moves[k]);
    const a = d[0] ** 2 + d[1] ** 2 + 1,
      b = d[0] * c[0] + d[1] * c[1] + c[2],
      q = c[0] ** 2 + c[1] ** 2 + c[2] ** 2 - ball.radius ** 2;
    const root = b * b - a * q;
    if (root > 0) offer((b - Math.sqrt(root)) / a, ball);
  }
  if (floor !== null && d[1] > 0 && floor / d[1] < 60) offer(floor / d[1], null);
  return best as { z: number; point: number[]; ball: Ball | null } | null;
}

/** One way of storing a distance; `nothing` is what is written where nothing is. */
export interface Way {
  readonly of: (z: number, low: number, high: number) => number;
  readonly nothing: number;
  readonly type?: SampleType;
  /** Mean over so many pixels across, as if the pass were a picture. */
  readonly filter?: number;
}

const M = (low: number, high: number) => high + 0.2 * (high - low),
  N = (low: number, high: number) => Math.max(0, low - 0.3 * (high - low));
const near0 = (z: number, low: number, high: number) => (z - N(low, high)) / (M(low, high) - N(low, high));

/** Conventions of data, as they are met in files. */
export const WAYS: Readonly<Record<string, Way>> = {
  'distances, 0': { of: (z) => z, nothing: 0 },
  'distances, 1e4': { of: (z) => z, nothing: 1e4 },
  'distances, 1e6': { of: (z) => z, nothing: 1e6 },
  'distances, 1e10': { of: (z) => z, nothing: 1e10 },
  'distances, 3.4e38': { of: (z) => z, nothing: Math.fround(3.4028234663852886e38) },
  'distances, infinity': { of: (z) => z, nothing: Infinity },
  'distances, NaN': { of: (z) => z, nothing: NaN },
  'distances, -1': { of: (z) => z, nothing: -1 },
  'distances in halves, 65504': { of: (z) => z, nothing: 65504, type: 'half' },
  'small units, 0': { of: (z) => z / 100, nothing: 0 },
  'large units, 1e10': { of: (z) => z * 1000, nothing: 1e10 },
  'negative, 0': { of: (z) => -z, nothing: 0 },
  'negative, -1e6': { of: (z) => -z, nothing: -1e6 },
  'negative, -infinity': { of: (z) => -z, nothing: -Infinity },
  'one over, 0': { of: (z) => 1 / z, nothing: 0 },
  '0 to 1, near 0, 1': { of: near0, nothing: 1 },
  '0 to 1, near 1, 0': { of: (...z) => 1 - near0(...z), nothing: 0 },
  '16 bits, near 0': { of: near0, nothing: 1, type: 'u16' },
  '16 bits, near 1': { of: (...z) => 1 - near0(...z), nothing: 0, type: 'u16' },
  '8 bits, near 1': { of: (...z) => 1 - near0(...z), nothing: 0, type: 'u8' },
  'projected, 1': { of: (z) => 1 - 0.9 / z, nothing: 1 },
  'distances, 1e4, filtered': { of: (z) => z, nothing: 1e4, filter: 3 },
  'distances, 0, filtered': { of: (z) => z, nothing: 0, filter: 3 },
  'near 1, filtered': { of: (...z) => 1 - near0(...z), nothing: 0, filter: 3 },
};

export function stored(
  { distance }: Rendered,
  { of, nothing, type = 'float', filter = 1 }: Way,
  range: readonly [number, number],
): Float32Array {
  const { width, height } = SIZE;
  const out = Float32Array.from(distance, (z) => (z === 0 ? nothing : of(z, ...range)));
  const filtered = filter === 1 ? out : blurred(out, width, height, filter);
  const steps = type === 'u8' ? 255 : type === 'u16' ? 65535 : null;
  if (steps !== null) return filtered.map((v) => Math.round(Math.min(1, Math.max(0, v)) * steps) / steps);
  return type === 'half' ? filtered.map((v) => (Number.isFinite(v) ? Math.fround(Number(v.toPrecision(4))) : v)) : filtered;
}

function blurred(values: Float32Array, width: number, height: number, across: number): Float32Array {
  const reach = across >> 1;
  return values.map((_, i) => {
    const x = i % width,
      y = (i - x) / width;
    let sum = 0,
      n = 0;
    for (let v = Math.max(0, y - reach); v <= Math.min(height - 1, y + reach); v++)
      for (let u = Math.max(0, x - reach); u <= Math.min(width - 1, x + reach); u++, n++) sum += values[v * width + u];
    return sum / n;
  });
}

const known = new Map<Scene, Rendered[]>();

function threeFrames(scene: Scene): Rendered[] {
  const rendered = known.get(scene) ?? [-1, 0, 1].map((t) => render(scene, t));
  known.set(scene, rendered);
  return rendered;
}

/** Three frames of a scene as a depth pass in a way of storing, with alpha and motion. */
export function framesOf(scene: Scene, way: Way, withMotion = true): { frames: DepthFrame[]; now: Rendered } {
  const rendered = threeFrames(scene);
  const there = rendered.flatMap((r) => [...r.distance].filter((z) => z > 0));
  const range = [Math.min(...there.slice(0, 1e5)), Math.max(...there.slice(0, 1e5))] as const;
  const frames = rendered.map((r) => ({
    ...SIZE,
    channels: [{ name: 'Z', type: way.type ?? ('float' as const), data: stored(r, way, range) }],
    alpha: r.alpha,
    motion: withMotion ? r.motion : null,
  }));
  return { frames, now: rendered[1] };
}

/** A camera that is turned and stands somewhere: a point of the picture at a distance, in axes of the scene. */
export function positionAt(i: number, z: number, turn: number, stands: readonly [number, number, number], mirrored = false): number[] {
  const x = (z * ((i % SIZE.width) + 0.5 - SIZE.width / 2)) / FOCAL,
    y = (z * (Math.floor(i / SIZE.width) + 0.5 - SIZE.height / 2)) / FOCAL;
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  // About two axes, so that no axis of the scene lies along the view.
  const [ax, az] = [c * x + s * z, -s * x + c * z],
    [by, bz] = [c * y - s * az, s * y + c * az];
  return [ax + stands[0], (mirrored ? -1 : 1) * by + stands[1], bz + stands[2]];
}
