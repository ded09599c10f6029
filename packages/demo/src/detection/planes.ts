import type { MotionField } from '@ivrex/core';

type Vector = readonly [number, number, number];

/** A flat piece in space at one moment: the point (u, v) of it lies at origin + u along + v across. Metres, or pixels at distance `focal`. */
export interface PlanePose {
  readonly origin: Vector;
  readonly along: Vector;
  readonly across: Vector;
}

/** A camera looks along its z axis; x right, y down. Angles are radians, applied pan, tilt, roll. */
export interface CameraPose {
  readonly at: Vector;
  readonly pan: number;
  readonly tilt: number;
  readonly roll: number;
}

/** Scene-linear, not premultiplied, with its coverage. */
export type Painter = (u: number, v: number, out: Float64Array) => void;

export interface Piece {
  readonly paint: Painter;
  /** Half extents in u and v: beyond them nothing is painted. */
  readonly reachU: number;
  readonly reachV: number;
  pose(t: number): PlanePose;
}

/** What is seen: pieces in any order, and a camera. */
export interface TestScene {
  readonly name: string;
  readonly width: number;
  readonly height: number;
  /** Pixels. */
  readonly focal: number;
  readonly pieces: readonly Piece[];
  camera(t: number): CameraPose;
  /** What all light is multiplied by at this moment. */
  light(t: number): number;
  /** Standard deviation of the picture's noise, scene-linear. */
  readonly grain: number;
}

export interface TestFrame {
  /** Premultiplied RGBA. */
  readonly rgba: Float32Array;
  /** Front-most surface at the pixel's centre; invalid where there is none. */
  readonly motion: MotionField;
}

/** Pixel (homogeneous) from (u, v, 1), and back. Rows. */
interface Projection {
  readonly to: Float64Array;
  readonly back: Float64Array;
  readonly box: readonly [number, number, number, number];
}

const SAMPLES = 5,
  /** Nearer than this is behind the camera. */
  NEAREST = 1e-3,
  /** A surface whose coverage is less is looked through by data passes. */
  LEAST_COVERAGE = 0.5;

/** One frame with its motion both ways, exact for planes: a homography (Hartley and Zisserman, Multiple View Geometry, chapter 8). */
export function renderTestFrame(scene: TestScene, t: number, seed: number): TestFrame {
  const { width, height } = scene,
    count = width * height;
  const now = projections(scene, t),
    next = projections(scene, t + 1),
    previous = projections(scene, t - 1);
  const rgba = new Float32Array(count * 4);
  const motion = {
    width,
    height,
    twoSided: true,
    toNext: new Float32Array(count * 2),
    toPrevious: new Float32Array(count * 2),
    valid: new Uint8Array(count),
  };
  const gain = scene.light(t);
  const hits: { piece: number; depth: number; u: number; v: number }[] = [];
  const paint = new Float64Array(4);
  const meet = (met: readonly number[], x: number, y: number) => {
    hits.length = 0;
    for (const p of met) {
      const [x0, y0, x1, y1] = now[p].box;
      if (x < x0 || x > x1 || y < y0 || y > y1) continue;
      const { back } = now[p];
      const w = back[6] * x + back[7] * y + back[8];
      if (!(w > 0)) continue;
      const u = (back[0] * x + back[1] * y + back[2]) / w,
        v = (back[3] * x + back[4] * y + back[5]) / w;
      if (Math.abs(u) > scene.pieces[p].reachU || Math.abs(v) > scene.pieces[p].reachV) continue;
      hits.push({ piece: p, depth: 1 / w, u, v });
    }
    if (hits.length > 1) hits.sort((a, b) => a.depth - b.depth);
  };
  for (let y = 0; y < height; y++) {
    const met = now.flatMap(({ box }, p) => (box[1] <= y + 1 && box[3] >= y ? [p] : []));
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const sum = [0, 0, 0, 0];
      for (let s = 0; s < SAMPLES; s++) {
        // Evenly over the pixel (R2 sequence, Roberts 2018).
        meet(met, x + ((0.5 + s * 0.7548776662466927) % 1), y + ((0.5 + s * 0.5698402909980532) % 1));
        let clear = 1;
        for (const { piece, u, v } of hits) {
          scene.pieces[piece].paint(u, v, paint);
          const part = clear * paint[3];
          for (let c = 0; c < 3; c++) sum[c] += part * paint[c] * gain;
          sum[3] += part;
          clear -= part;
          if (clear < 1e-3) break;
        }
      }
      for (let c = 0; c < 4; c++) rgba[i * 4 + c] = sum[c] / SAMPLES;
      meet(met, x + 0.5, y + 0.5);
      for (const { piece, u, v } of hits) {
        scene.pieces[piece].paint(u, v, paint);
        if (paint[3] < LEAST_COVERAGE) continue;
        motion.valid[i] = 1;
        motion.toNext.set(displacement(next[piece], u, v, x + 0.5, y + 0.5), i * 2);
        motion.toPrevious.set(displacement(previous[piece], u, v, x + 0.5, y + 0.5), i * 2);
        break;
      }
    }
  }
  if (scene.grain > 0) addGrain(rgba, scene.grain, seed);
  return { rgba, motion };
}

/** Where the motion leads behind the camera it ends at the frame's border: nothing is seen of it. */
function displacement({ to }: Projection, u: number, v: number, x: number, y: number): readonly [number, number] {
  const w = Math.max(NEAREST, to[6] * u + to[7] * v + to[8]);
  return [(to[0] * u + to[1] * v + to[2]) / w - x, (to[3] * u + to[4] * v + to[5]) / w - y];
}

function addGrain(rgba: Float32Array, grain: number, seed: number): void {
  let state = seed >>> 0;
  const next = () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 4294967296;
  for (let i = 0; i < rgba.length; i += 4) {
    if (rgba[i + 3] === 0) continue;
    // The sum of four even draws is near enough to a normal one.
    for (let c = 0; c < 3; c++)
      rgba[i + c] = Math.max(0, rgba[i + c] + grain * rgba[i + 3] * 1.73 * (next() + next() + next() + next() - 2));
  }
}

function projections(scene: TestScene, t: number): Projection[] {
  const camera = scene.camera(t),
    turn = rotation(camera);
  return scene.pieces.map((piece) => {
    const { origin, along, across } = piece.pose(t);
    const seen = (p: Vector, isPoint: boolean): Vector => {
      const q = isPoint ? p.map((v, i) => v - camera.at[i]) : p;
      return [0, 1, 2].map((r) => turn[r * 3] * q[0] + turn[r * 3 + 1] * q[1] + turn[r * 3 + 2] * q[2]) as unknown as Vector;
    };
    const columns = [seen(along, false), seen(across, false), seen(origin, true)];
    const to = new Float64Array(9);
    columns.forEach(([x, y, z], c) => {
      to[c] = scene.focal * x + (scene.width / 2) * z;
      to[3 + c] = scene.focal * y + (scene.height / 2) * z;
      to[6 + c] = z;
    });
    return { to, back: inverse(to), box: boxOf(to, piece, scene) };
  });
}

function boxOf(to: Float64Array, { reachU, reachV }: Piece, { width, height }: TestScene): Projection['box'] {
  const all: Projection['box'] = [0, 0, width, height];
  const corners = [
    [-reachU, -reachV],
    [reachU, -reachV],
    [-reachU, reachV],
    [reachU, reachV],
  ].map(([u, v]) => {
    const w = to[6] * u + to[7] * v + to[8];
    return w > NEAREST ? [(to[0] * u + to[1] * v + to[2]) / w, (to[3] * u + to[4] * v + to[5]) / w] : null;
  });
  // A piece that reaches behind the camera may be seen anywhere.
  if (corners.some((c) => c === null)) return all;
  const xs = corners.map((c) => c?.[0] ?? 0),
    ys = corners.map((c) => c?.[1] ?? 0);
  return [Math.min(...xs) - 1, Math.min(...ys) - 1, Math.max(...xs) + 1, Math.max(...ys) + 1];
}

function rotation({ pan, tilt, roll }: CameraPose): number[] {
  const [cp, sp, ct, st, cr, sr] = [Math.cos(pan), Math.sin(pan), Math.cos(tilt), Math.sin(tilt), Math.cos(roll), Math.sin(roll)];
  const panned = [cp, 0, -sp, 0, 1, 0, sp, 0, cp],
    tilted = [1, 0, 0, 0, ct, -st, 0, st, ct],
    rolled = [cr, sr, 0, -sr, cr, 0, 0, 0, 1];
  return times(rolled, times(tilted, panned));
}

function times(a: readonly number[], b: readonly number[]): number[] {
  return Array.from({ length: 9 }, (_, i) => [0, 1, 2].reduce((sum, k) => sum + a[Math.floor(i / 3) * 3 + k] * b[k * 3 + (i % 3)], 0));
}

/** Scaled so that the third row gives one over the depth. */
function inverse(m: Float64Array): Float64Array {
  const [a, b, c, d, e, f, g, h, i] = m;
  const det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
  const adjugate = [
    e * i - f * h,
    c * h - b * i,
    b * f - c * e,
    f * g - d * i,
    a * i - c * g,
    c * d - a * f,
    d * h - e * g,
    b * g - a * h,
    a * e - b * d,
  ];
  return Float64Array.from(adjugate, (v) => v / det);
}
