import { nearestMember } from '../../raster/nearest';
import { boxMean } from '../../raster/box-mean';
import { addValue, emptySums, fitPlane } from '../../linear/plane-sums';
import type { Flow } from '../flow/flow';
import type { Pyramid, PyramidLevel } from '../flow/pyramid';
import { slid, type Piece } from './piece';
import { findTurnedPieces } from './turned-pieces';

/** Points of the flow that are believed, thinned out. Places from the picture's middle. */
interface Points {
  readonly x: Float64Array;
  readonly y: Float64Array;
  readonly u: Float64Array;
  readonly v: Float64Array;
}

const STEP_PX = 5,
  /** Belief from which a vector may tell a piece. */
  LEAST_BELIEF = 0.15,
  MOST_PIECES = 14,
  SAMPLES = 400,
  /** Points that a sample is counted on. */
  COUNTED = 1200,
  FEWEST_MEMBERS = 24,
  /** A vector belongs to a piece within this, plus a share of its length. */
  NEAR_PX = 0.6,
  NEAR_SHARE = 0.02;

/**
 * Flow follows small patches, which slide along rings and repeat along teeth. The pieces that its good vectors agree on (RANSAC, Fischler
 * and Bolles 1981) are slid to where the picture fits best, and every pixel takes the piece, or keeps the flow, that fits around it.
 */
export function improveByPieces(flow: Flow, belief: Float32Array, from: Pyramid, to: Pyramid, coverage: Float32Array | null): Flow {
  const told = findPieces(believedPoints(flow, belief), flow.width).map((piece) => slid(piece, flow, from, to, [1, 0]));
  const pieces = [...told, ...findTurnedPieces(flow, belief, from, to, coverage)];
  return pieces.length === 0 ? flow : chosen(flow, belief, pieces, from, to, coverage);
}

function believedPoints({ width, height, vectors }: Flow, belief: Float32Array): Points {
  const found: number[] = [];
  for (let y = 2; y < height; y += STEP_PX)
    for (let x = 2; x < width; x += STEP_PX) if (belief[y * width + x] > LEAST_BELIEF) found.push(y * width + x);
  const take = (of: (i: number) => number) => Float64Array.from(found, of);
  return {
    x: take((i) => (i % width) - width / 2),
    y: take((i) => Math.floor(i / width) - height / 2),
    u: take((i) => vectors[i * 2]),
    v: take((i) => vectors[i * 2 + 1]),
  };
}

function findPieces(points: Points, width: number): Piece[] {
  const pieces: Piece[] = [];
  let free = Array.from(points.x, (_, k) => k);
  const random = randomNumbers();
  while (pieces.length < MOST_PIECES && free.length >= FEWEST_MEMBERS) {
    let best: Float64Array | null = null,
      most = 0;
    const every = Math.max(1, Math.floor(free.length / COUNTED));
    for (let n = 0; n < SAMPLES; n++) {
      const first = free[Math.floor(random() * free.length)];
      // Three points near each other are more likely of one piece.
      const reach = (0.03 + 0.22 * random()) * width;
      const others = [nearTo(points, free, first, reach, random), nearTo(points, free, first, reach, random)];
      if (others[0] < 0 || others[1] < 0) continue;
      const parameters = fitted(points, [first, ...others]);
      if (parameters === null) continue;
      let count = 0;
      for (let k = n % every; k < free.length; k += every) if (isNear(points, free[k], parameters)) count++;
      if (count > most) {
        most = count;
        best = parameters;
      }
    }
    if (best === null || most * every < FEWEST_MEMBERS) break;
    let members: number[] = [];
    for (let round = 0; round < 3; round++) {
      const now: Float64Array = best;
      members = free.filter((k) => isNear(points, k, now));
      best = fitted(points, members) ?? best;
    }
    if (members.length < FEWEST_MEMBERS) break;
    const taken = new Set(members);
    free = free.filter((k) => !taken.has(k));
    pieces.push({
      parameters: best,
      x: Float64Array.from(members, (k) => points.x[k]),
      y: Float64Array.from(members, (k) => points.y[k]),
    });
  }
  return pieces;
}

/** Any free point within `reach`, tried for a few times; -1 when there is none. */
function nearTo({ x, y }: Points, free: readonly number[], to: number, reach: number, random: () => number): number {
  for (let n = 0; n < 24; n++) {
    const k = free[Math.floor(random() * free.length)];
    if (k !== to && Math.abs(x[k] - x[to]) < reach && Math.abs(y[k] - y[to]) < reach) return k;
  }
  return -1;
}

function isNear({ x, y, u, v }: Points, k: number, p: Float64Array): boolean {
  const du = p[0] + p[1] * x[k] + p[2] * y[k] - u[k],
    dv = p[3] + p[4] * x[k] + p[5] * y[k] - v[k];
  const near = NEAR_PX + NEAR_SHARE * (Math.abs(u[k]) + Math.abs(v[k]));
  return du * du + dv * dv < near * near;
}

/** Least squares; null when the points lie on a line. */
function fitted({ x, y, u, v }: Points, members: readonly number[]): Float64Array | null {
  const across = emptySums(),
    down = emptySums();
  for (const k of members) {
    addValue(across, x[k], y[k], u[k]);
    addValue(down, x[k], y[k], v[k]);
  }
  const a = fitPlane(across),
    b = fitPlane(down);
  if (a === null || b === null) return null;
  const out = Float64Array.of(...a, ...b);
  // Nothing shrinks to nothing or turns by a right angle in a frame.
  return [out[1], out[2], out[4], out[5]].every((slope) => Math.abs(slope) < 0.7) ? out : null;
}

/** The same sequence every time: made motion is the same on every machine. Numerical Recipes' linear congruence. */
function randomNumbers(): () => number {
  let state = 1;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 4294967296;
  };
}

/** Half side of the window that a piece must fit in, and differences that count as hidden. */
const WINDOW_PX = 4,
  MOST_DIFFERENCE = 0.12,
  /** What a piece may fit worse than the flow, which bends to anything. */
  GRACE = 0.002,
  /** The same where the flow does not lead home: it fits there by accident, along what repeats. */
  LOST_GRACE = 0.05,
  /** What it costs to be far from every point that told the piece, and how far that is. */
  FAR_COST = 0.012,
  FAR_PX = 120,
  /** Distances are worked out on a coarser grid. */
  COARSE = 4;

function chosen(
  flow: Flow,
  belief: Float32Array,
  pieces: readonly Piece[],
  from: Pyramid,
  to: Pyramid,
  coverage: Float32Array | null,
): Flow {
  const { width, height } = flow;
  const out = flow.vectors.slice(),
    whole: Box = { x0: 0, y0: 0, x1: width, y1: height },
    least = differences(from[0], to[0], whole, flow.vectors, coverage);
  boxMean(least, width, height, WINDOW_PX);
  for (let i = 0; i < least.length; i++) least[i] += belief[i] > 0 ? GRACE : LOST_GRACE;
  const columns = Math.ceil(width / COARSE);
  for (const piece of pieces) {
    const box = boxAround(piece, width, height),
      across = box.x1 - box.x0;
    const vectors = vectorsOf(piece.parameters, box, width, height),
      cost = differences(from[0], to[0], box, vectors, coverage),
      far = distances(piece, width, height);
    boxMean(cost, across, box.y1 - box.y0, WINDOW_PX);
    for (let y = box.y0, k = 0; y < box.y1; y++) {
      const row = Math.floor(y / COARSE) * columns;
      for (let x = box.x0, i = y * width + x; x < box.x1; x++, i++, k++) {
        const c = cost[k] + FAR_COST * Math.min(1, far[row + Math.floor(x / COARSE)] / FAR_PX);
        if (c >= least[i]) continue;
        least[i] = c;
        out[i * 2] = vectors[k * 2];
        out[i * 2 + 1] = vectors[k * 2 + 1];
      }
    }
  }
  return { width, height, vectors: out };
}

/** Pixels from x0, y0 to before x1, y1. */
interface Box {
  readonly x0: number;
  readonly y0: number;
  readonly x1: number;
  readonly y1: number;
}

/** As far around the members as a piece may reach. */
function boxAround({ x, y }: Piece, width: number, height: number): Box {
  let x0 = Infinity,
    y0 = Infinity,
    x1 = -Infinity,
    y1 = -Infinity;
  for (let k = 0; k < x.length; k++) {
    x0 = Math.min(x0, x[k]);
    x1 = Math.max(x1, x[k]);
    y0 = Math.min(y0, y[k]);
    y1 = Math.max(y1, y[k]);
  }
  const within = (v: number, size: number) => Math.round(Math.min(size, Math.max(0, v + size / 2)));
  return {
    x0: within(x0 - FAR_PX, width),
    y0: within(y0 - FAR_PX, height),
    x1: within(x1 + FAR_PX, width),
    y1: within(y1 + FAR_PX, height),
  };
}

function vectorsOf(p: Float64Array, { x0, y0, x1, y1 }: Box, width: number, height: number): Float32Array {
  const out = new Float32Array((x1 - x0) * (y1 - y0) * 2);
  for (let y = y0, i = 0; y < y1; y++) {
    const cx = x0 - width / 2,
      cy = y - height / 2;
    let u = p[0] + p[1] * cx + p[2] * cy,
      v = p[3] + p[4] * cx + p[5] * cy;
    for (let x = x0; x < x1; x++, i += 2, u += p[1], v += p[4]) {
      out[i] = u;
      out[i + 1] = v;
    }
  }
  return out;
}

/** Of brightness, where the vectors lead; as much as hidden where they lead outside. Where nothing is covered, 0. */
function differences(from: PyramidLevel, to: PyramidLevel, box: Box, vectors: Float32Array, coverage: Float32Array | null): Float32Array {
  const { width, height, stride, origin, values } = from,
    other = to.values;
  const out = new Float32Array((box.x1 - box.x0) * (box.y1 - box.y0));
  for (let y = box.y0, i = 0; y < box.y1; y++) {
    const row = origin + y * stride;
    for (let x = box.x0; x < box.x1; x++, i++) {
      if (coverage !== null && !(coverage[y * width + x] > 0)) continue;
      const sx = x + vectors[i * 2],
        sy = y + vectors[i * 2 + 1];
      if (!(sx >= 0 && sy >= 0 && sx <= width - 1 && sy <= height - 1)) {
        out[i] = MOST_DIFFERENCE;
        continue;
      }
      // Levels have a margin: the pixel beyond the last one is there.
      const x0 = Math.floor(sx),
        y0 = Math.floor(sy),
        a = sx - x0,
        j = origin + y0 * stride + x0;
      const above = other[j] + (other[j + 1] - other[j]) * a,
        below = other[j + stride] + (other[j + stride + 1] - other[j + stride]) * a;
      out[i] = Math.min(MOST_DIFFERENCE, Math.abs(above + (below - above) * (sy - y0) - values[row + x]));
    }
  }
  return out;
}

/** From each place of the coarse grid to the nearest member, pixels. */
function distances({ x, y }: Piece, width: number, height: number): Float32Array {
  const columns = Math.ceil(width / COARSE),
    rows = Math.ceil(height / COARSE);
  const there = new Uint8Array(columns * rows);
  for (let k = 0; k < x.length; k++)
    there[Math.floor((y[k] + height / 2) / COARSE) * columns + Math.floor((x[k] + width / 2) / COARSE)] = 1;
  const nearest = nearestMember(there, columns, rows);
  return Float32Array.from(nearest, (at, i) =>
    at < 0 ? Infinity : COARSE * Math.hypot((at % columns) - (i % columns), Math.floor(at / columns) - Math.floor(i / columns)),
  );
}
