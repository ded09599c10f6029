import type { SampleType } from '../raster/image';
import { solveLinear } from '../linear/solve-linear';
import { isNothing } from './decode-depth';

/** The three channels of a pass that holds where each pixel's point lies, in any order and any orientation of the scene. */
export interface StoredPositions {
  readonly width: number;
  readonly planes: readonly [StoredAxis, StoredAxis, StoredAxis];
}

export interface StoredAxis {
  readonly type: SampleType;
  readonly data: Float32Array | Uint32Array;
}

/** The camera that shows stored positions where they are stored. */
export interface PositionCamera {
  /** Distance along the view axis of (a, b, c, 1), in the units of the positions. */
  readonly alongView: readonly [number, number, number, number];
  /** How far it misses the pixels, in the median. */
  readonly missPx: number;
  /** Points that were looked at. */
  readonly points: number;
  /** All lie equally far, or are seen in parallel lines: that says nothing about what is in front. */
  readonly isFlat: boolean;
}

/** Points that a camera is worked out from: about so many, enough, and fewest; and rounds in which those that do not fit lose their weight. */
const LOOKED_AT = 6000,
  ENOUGH = 1000,
  FEWEST = 60,
  ROUNDS = 6;
/** As a share of the picture's diagonal: a camera that misses by more is none. Colours and normals miss by a fifth. */
const MOST_MISS = 0.01;
/** Depth must differ by this, relative to its middle: seen in parallel lines, all is equally far. */
const LEAST_RELIEF = 1e-3;
const UNKNOWNS = 11;

/**
 * The camera of a position pass: the direct linear transformation (Hartley and Zisserman, Multiple View Geometry, 7.1) with points that do not fit
 * losing their weight (filtered edges). Null when there are too few points, or no camera shows them where they are: then they are no positions.
 */
export function cameraOfPositions({ width, planes }: StoredPositions, nothing: readonly number[]): PositionCamera | null {
  const count = planes[0].data.length,
    height = count / width,
    used = placesThere(planes, nothing);
  if (used.length < FEWEST) return null;
  const centre = planes.map(({ data }) => used.reduce((sum, i) => sum + data[i], 0) / used.length);
  const size = Math.sqrt(
    planes.reduce((sum, { data }, k) => sum + used.reduce((s, i) => s + (data[i] - centre[k]) ** 2, 0), 0) / used.length,
  );
  if (!(size > 0)) return null;
  // Centred and of size 1, the divisor at the middle of the points is above 0: it is set to 1 and the rest is linear.
  const half = Math.hypot(width, height) / 2;
  const points = used.map((i) => ({
    at: [...planes.map(({ data }, k) => (data[i] - centre[k]) / size), 1],
    x: ((i % width) + 0.5 - width / 2) / half,
    y: (Math.floor(i / width) + 0.5 - height / 2) / half,
    weight: 1,
    miss: 0,
    depth: 1,
  }));
  let rows: ArrayLike<number> = new Float64Array(UNKNOWNS),
    median = 0;
  for (let round = 0; round < ROUNDS; round++) {
    const solved = solveCamera(points);
    if (solved === null) return null;
    rows = solved;
    for (const p of points) {
      p.depth = 1 + rows[8] * p.at[0] + rows[9] * p.at[1] + rows[10] * p.at[2];
      const [u, v] = [0, 4].map((k) => (rows[k] * p.at[0] + rows[k + 1] * p.at[1] + rows[k + 2] * p.at[2] + rows[k + 3]) / p.depth);
      p.miss = p.depth > 0 ? Math.hypot(u - p.x, v - p.y) : Infinity;
    }
    const misses = Float64Array.from(points, (p) => p.miss).sort();
    median = misses[misses.length >> 1];
    const limit = Math.max(3 * median, 1e-4);
    // Divided by their depth, the equations are about pixels.
    for (const p of points) p.weight = p.miss < Infinity ? 1 / ((1 + (p.miss / limit) ** 2) * p.depth ** 2) : 0;
  }
  const behind = points.filter((p) => !(p.depth > 0)).length,
    depths = Float64Array.from(points, (p) => p.depth).sort(),
    share = (q: number) => depths[Math.min(depths.length - 1, Math.floor(q * depths.length))];
  const length = Math.hypot(rows[8], rows[9], rows[10]);
  if (!(median < 2 * MOST_MISS) || behind > 0.01 * points.length) return null;
  const found = { missPx: median * half, points: points.length };
  if (!(share(0.99) - share(0.01) > LEAST_RELIEF * share(0.5))) return { ...found, alongView: [0, 0, 0, 1], isFlat: true };
  const axis = [8, 9, 10].map((k) => rows[k] / length);
  const [a, b, c] = axis;
  return {
    ...found,
    alongView: [a, b, c, size / length - (a * centre[0] + b * centre[1] + c * centre[2])],
    isFlat: false,
  };
}

/** Pixels that hold a position, spread over the picture; the fewer there are, the closer it is looked at. */
function placesThere(planes: StoredPositions['planes'], nothing: readonly number[]): number[] {
  const count = planes[0].data.length;
  for (let every = Math.max(1, Math.floor(count / LOOKED_AT)) | 1; ; every = Math.floor(every / 6) | 1) {
    const there: number[] = [];
    for (let i = every >> 1; i < count; i += every) if (!isNowhere(planes, i, nothing)) there.push(i);
    if (there.length >= ENOUGH || every === 1) return there;
  }
}

/** Distances along the view axis; NaN where no position is stored. */
export function distancesOf(
  { planes }: StoredPositions,
  { alongView: [a, b, c, d] }: PositionCamera,
  nothing: readonly number[],
): Float32Array {
  const [x, y, z] = planes.map((p) => p.data),
    out = new Float32Array(x.length);
  for (let i = 0; i < out.length; i++) out[i] = isNowhere(planes, i, nothing) ? NaN : a * x[i] + b * y[i] + c * z[i] + d;
  return out;
}

/** Whether a pixel holds no position: all three values stand for nothing. */
function isNowhere(planes: StoredPositions['planes'], i: number, nothing: readonly number[]): boolean {
  if (planes.some(({ data }) => data[i] - data[i] !== 0)) return true;
  return planes.every(({ data, type }) => isNothing(data[i], type, nothing));
}

/** The eleven unknowns: two rows of four, and the divisor's three beside its 1. A little pull to 0 decides what flat scenes leave open. */
function solveCamera(
  points: readonly { readonly at: readonly number[]; readonly x: number; readonly y: number; readonly weight: number }[],
) {
  const matrix = new Float64Array(UNKNOWNS * UNKNOWNS),
    right = new Float64Array(UNKNOWNS),
    row = new Float64Array(UNKNOWNS);
  for (const { at, x, y, weight } of points)
    for (const [first, seen] of [
      [0, x],
      [4, y],
    ] as const) {
      row.fill(0);
      for (let k = 0; k < 4; k++) row[first + k] = at[k];
      for (let k = 0; k < 3; k++) row[8 + k] = -seen * at[k];
      for (let r = 0; r < UNKNOWNS; r++) {
        if (row[r] === 0) continue;
        right[r] += weight * row[r] * seen;
        for (let k = 0; k < UNKNOWNS; k++) matrix[r * UNKNOWNS + k] += weight * row[r] * row[k];
      }
    }
  let trace = 0;
  for (let k = 0; k < UNKNOWNS; k++) trace += matrix[k * UNKNOWNS + k];
  for (let k = 0; k < UNKNOWNS; k++) matrix[k * UNKNOWNS + k] += 1e-10 * trace;
  return solveLinear(matrix, right, UNKNOWNS, 1e-14 * trace);
}
