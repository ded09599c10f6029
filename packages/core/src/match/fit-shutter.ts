import { exposureWithin, type ExposureShape } from '../shutter/exposure-shape';
import { shutterAngleDeg } from '../shutter/shutter';
import { differenceAt, evenWeights, robustWeights, type Difference, type PointWeights } from './match-cost';
import type { Moments } from './moments';
import { doubts } from './match-doubts';
import type { GradeFit, MatchLocks, ReferenceGrade, ShutterMatch } from './shutter-match';

type Grading = Exclude<GradeFit, 'auto'>;

/**
 * The exposure in the motion's own time, from `a` to `b`: opens and closes times the strength, on which alone the picture depends. What is
 * free runs along straight lines in it: (a, b) = base + along[0] x p0 + along[1] x p1.
 */
interface Freedom {
  readonly base: readonly [number, number];
  readonly along: readonly (readonly [number, number])[];
}

interface Place {
  readonly a: number;
  readonly b: number;
  /** Mean square over all points alike. */
  readonly plainCost: number;
}

interface Refined extends Place {
  readonly p: readonly number[];
  readonly shape: ExposureShape;
  readonly difference: Difference;
  readonly weights: PointWeights;
  readonly grading: Grading;
}

interface Found extends Refined {
  /** Exposures far from it that come as close. */
  readonly rivals: readonly Place[];
}

const EVEN: ExposureShape = { kind: 'even' };
/** A grade, or another exposure shape than an even one, has to take off this share of the squares to be believed. */
const WORTH_GRADE = 0.3,
  WORTH_SHAPE = 0.12;
const GRID = 1 / 16,
  SHORTEST = 1 / 180;

/**
 * The shutter under which the moving points come closest to their references. Searched on a grid of exposures, then by Gauss-Newton steps on
 * reweighted squares from the best few places. Errors come from leaving out parts of the picture in turn (jackknife; Efron 1982), so that
 * what the blur itself can't do counts as well as noise.
 */
export function fitShutter(frames: readonly Moments[], locks: MatchLocks, gradeFit: GradeFit): ShutterMatch {
  const freedom = freedomOf(locks),
    reach = frames[0].reach;
  const few = thinned(frames);
  const search = (shape: ExposureShape, grading: Grading, starts: readonly (readonly number[])[]): Found => {
    const near = starts.map((p) => refine(few, freedom, reach, shape, grading, p)),
      best = bestOf(near);
    return { ...refine(frames, freedom, reach, shape, grading, best.p), rivals: near.filter((other) => isRival(other, best)) };
  };
  const first = locks.shape ?? EVEN;
  // Where a grade may be, the places to start from are those that are near under any.
  const starts = startsOn(few, freedom, reach, first, gradeFit === 'auto' ? 'gainOffset' : gradeFit);
  let found = search(first, gradeFit === 'auto' ? 'none' : gradeFit, starts);
  if (gradeFit === 'auto') {
    const graded = search(first, 'gainOffset', starts);
    if (graded.plainCost < (1 - WORTH_GRADE) * found.plainCost) found = graded;
  }
  if (locks.shape === null) found = withShape(found, (shape) => search(shape, found.grading, startsAround(found, shape, freedom, reach)));
  return matchOf(frames, few, locks, freedom, found);
}

/** Residuals that differ by less than this, in scene-linear colour, are alike. */
const UNSEEN = 0.002;

/** Another exposure that fits as well. */
function isRival(other: Place, best: Place): boolean {
  const apart = Math.max(Math.abs(other.a - best.a), Math.abs(other.b - best.b));
  return apart > 0.06 && Math.sqrt(other.plainCost) < 1.08 * Math.sqrt(best.plainCost) + UNSEEN;
}

/** Soft-edged and bell-shaped exposures, taken when they are clearly better. */
function withShape(even: Found, search: (shape: ExposureShape) => Found): Found {
  let best = even;
  const shapes: ExposureShape[] = [
    { kind: 'bell' },
    ...[0.1, 0.2, 0.3, 0.4, 0.5].map((share): ExposureShape => ({ kind: 'ramps', opening: share, closing: share })),
  ];
  for (const shape of shapes) {
    const other = search(shape);
    if (other.plainCost < (1 - WORTH_SHAPE) * even.plainCost && other.plainCost < best.plainCost) best = other;
  }
  return best;
}

function freedomOf({ opens, closes, strength }: MatchLocks): Freedom {
  if (strength === null && opens !== null && closes !== null) return { base: [0, 0], along: [[opens, closes]] };
  // With one end given and the strength free, that end's time is the strength; an end on the frame stays there under any.
  const s = strength ?? 1;
  const a = opens !== null && (strength !== null || opens === 0) ? s * opens : null,
    b = closes !== null && (strength !== null || closes === 0) ? s * closes : null;
  return {
    base: [a ?? 0, b ?? 0],
    along: [...(a === null ? [[1, 0] as const] : []), ...(b === null ? [[0, 1] as const] : [])],
  };
}

function placeOf({ base, along }: Freedom, p: readonly number[]): { a: number; b: number } {
  let [a, b] = base;
  along.forEach(([da, db], k) => {
    a += da * p[k];
    b += db * p[k];
  });
  return { a, b };
}

function isInside({ a, b }: { a: number; b: number }, reach: number): boolean {
  return b - a >= SHORTEST - 1e-9 && a >= -reach - 1e-9 && b <= reach + 1e-9;
}

const FEW_POINTS = 1800;

/** Enough points to find the place. */
function thinned(frames: readonly Moments[]): readonly Moments[] {
  const every = Math.max(1, Math.floor(frames.reduce((sum, m) => sum + m.points, 0) / FEW_POINTS));
  if (every === 1) return frames;
  return frames.map((m) => {
    const points = Math.floor(m.points / every),
      pick = (src: Float32Array, rows: number) => {
        const out = new Float32Array(points * 4 * rows);
        for (let j = 0; j < rows; j++)
          for (let p = 0; p < points; p++) {
            const from = (j * m.points + p * every) * 4;
            for (let c = 0; c < 4; c++) out[(j * points + p) * 4 + c] = src[from + c];
          }
        return out;
      };
    return {
      ...m,
      points,
      sums: pick(m.sums, m.steps + 1),
      reference: pick(m.reference, 1),
      sharp: pick(m.sharp, 1),
      partOf: Int32Array.from({ length: points }, (_, p) => m.partOf[p * every]),
    };
  });
}

const MOST_STARTS = 4;

/** The lowest places of a grid that are lower than their neighbours. */
function startsOn(frames: readonly Moments[], freedom: Freedom, reach: number, shape: ExposureShape, grading: Grading): number[][] {
  if (freedom.along.length === 0) return [[]];
  const weights = evenWeights(frames);
  const [first, second] = freedom.along.map((along) => axisOf(along, reach));
  const places: { p: number[]; at: readonly [number, number]; cost: number }[] = [];
  first.forEach((p0, i) =>
    (second ?? [0]).forEach((p1, j) => {
      const p = second === undefined ? [p0] : [p0, p1],
        place = placeOf(freedom, p);
      if (isInside(place, reach))
        places.push({ p, at: [i, j], cost: differenceAt(frames, weights, place.a, place.b, shape, grading).cost });
    }),
  );
  const lowest = places.filter(({ at, cost }) =>
    places.every((o) => Math.abs(o.at[0] - at[0]) > 1 || Math.abs(o.at[1] - at[1]) > 1 || o.cost >= cost),
  );
  const found = (lowest.length === 0 ? places : lowest).sort((m, n) => m.cost - n.cost).slice(0, MOST_STARTS);
  return found.length === 0 ? [freedom.along.map(() => 0)] : found.map(({ p }) => p);
}

/** Values of one free number: an end of the exposure, or the strength when both ends are given. */
function axisOf([da, db]: readonly [number, number], reach: number): number[] {
  const far = Math.max(Math.abs(da), Math.abs(db), 1e-9);
  const isStrength = da !== 0 && db !== 0,
    most = reach / far;
  const count = isStrength ? 64 : Math.round((2 * reach) / GRID);
  return Array.from({ length: count + 1 }, (_, i) => (isStrength ? ((i + 0.5) / (count + 1)) * most : -reach + (i / count) * 2 * reach));
}

/** Another shape's exposure of the same spread of light is longer. */
function startsAround(even: Found, shape: ExposureShape, freedom: Freedom, reach: number): number[][] {
  const longer = spreadOf(EVEN) / spreadOf(shape);
  const middle = (even.a + even.b) / 2,
    half = Math.min(((even.b - even.a) / 2) * longer, reach - Math.abs(middle));
  if (freedom.along.length === 2) return [[middle - half, middle + half]];
  if (freedom.along.length === 0) return [[]];
  const [[da, db]] = freedom.along;
  return [[da !== 0 && db !== 0 ? even.p[0] * longer : da !== 0 ? middle - half : middle + half]];
}

/** Deviation of the light's time, in lengths of the exposure. */
function spreadOf(shape: ExposureShape): number {
  let sum = 0;
  const parts = 64;
  for (let i = 0; i < parts; i++) sum += exposureWithin(shape, i / parts, (i + 1) / parts) * ((i + 0.5) / parts - 0.5) ** 2;
  return Math.sqrt(sum);
}

const MOST_STEPS = 14,
  SMALL_STEP = 2e-5;

/** Levenberg-Marquardt on reweighted squares; the weights are renewed between steps. */
function refine(
  frames: readonly Moments[],
  freedom: Freedom,
  reach: number,
  shape: ExposureShape,
  grading: Grading,
  start: readonly number[],
): Refined {
  let p = [...start],
    weights = evenWeights(frames),
    damping = 1e-4;
  const at = (q: readonly number[], w: PointWeights) => {
    const { a, b } = placeOf(freedom, q);
    return differenceAt(frames, w, a, b, shape, grading);
  };
  let now = at(p, weights);
  for (let step = 0; step < MOST_STEPS; step++) {
    // The first steps count everything: far from the place everything is far off.
    if (step >= 2) {
      ({ weights } = robustWeights(frames, now));
      now = at(p, weights);
    }
    const { matrix, right } = normalEquations(frames, weights, freedom, reach, p, now, (q) => at(q, weights).left);
    let moved = 0;
    for (let tries = 0; tries < 6; tries++) {
      const delta = solve(matrix, right, damping);
      const next = held(freedom, reach, p, delta);
      const then = at(next, weights);
      if (then.cost <= now.cost) {
        moved = Math.max(...next.map((v, k) => Math.abs(v - p[k])), 0);
        p = next;
        now = then;
        damping = Math.max(1e-7, damping / 5);
        break;
      }
      damping *= 8;
    }
    if (step >= 3 && moved < SMALL_STEP) break;
  }
  const plain = at(p, evenWeights(frames));
  return { p, ...placeOf(freedom, p), shape, difference: now, weights, plainCost: plain.cost, grading };
}

/** The step, shortened until the exposure is one. */
function held(freedom: Freedom, reach: number, p: readonly number[], delta: readonly number[]): number[] {
  for (let share = 1; share > 0.01; share /= 2) {
    const next = p.map((v, k) => v + share * delta[k]);
    if (isInside(placeOf(freedom, next), reach)) return next;
  }
  return [...p];
}

interface Equations {
  readonly matrix: readonly (readonly number[])[];
  readonly right: readonly number[];
}

/** J'WJ and -J'Wr with slopes by differences, over all points or, for `parts`, of each part of the picture alone. */
function normalEquations(
  frames: readonly Moments[],
  weights: PointWeights,
  freedom: Freedom,
  reach: number,
  p: readonly number[],
  now: Difference,
  leftAt: (q: readonly number[]) => readonly Float32Array[],
  parts?: Equations[],
): Equations {
  const slopes = slopesAt(freedom, reach, p, now, leftAt);
  const n = p.length;
  const sumOf = (f: number, from: number, to: number, into: { matrix: number[][]; right: number[] }) => {
    const left = now.left[f];
    for (let q = from; q < to; q++) {
      const w = weights[f][q];
      for (let i = q * 4; i < q * 4 + 4; i++)
        for (let k = 0; k < n; k++) {
          const s = slopes[k][f][i] * w;
          into.right[k] -= s * left[i];
          for (let l = 0; l <= k; l++) into.matrix[k][l] += s * slopes[l][f][i];
        }
    }
  };
  const empty = () => ({ matrix: p.map(() => p.map(() => 0)), right: p.map(() => 0) });
  const whole = empty();
  frames.forEach((m, f) => {
    for (let from = 0; from < m.points;) {
      let to = from;
      while (to < m.points && m.partOf[to] === m.partOf[from]) to++;
      const tile = empty();
      sumOf(f, from, to, tile);
      add(whole, tile);
      parts?.push(mirrored(tile));
      from = to;
    }
  });
  return mirrored(whole);
}

function add(into: { matrix: number[][]; right: number[] }, other: Equations): void {
  other.right.forEach((v, k) => (into.right[k] += v));
  other.matrix.forEach((row, k) => row.forEach((v, l) => (into.matrix[k][l] += v)));
}

function mirrored({ matrix, right }: { matrix: number[][]; right: number[] }): Equations {
  return { matrix: matrix.map((row, k) => row.map((v, l) => (l <= k ? v : matrix[l][k]))), right };
}

const SLOPE_STEP = 0.004;

/** What each free number changes, by frame: central differences, one-sided at the border. */
function slopesAt(
  freedom: Freedom,
  reach: number,
  p: readonly number[],
  now: Difference,
  leftAt: (q: readonly number[]) => readonly Float32Array[],
): readonly (readonly Float32Array[])[] {
  return p.map((value, k) => {
    const moved = (by: number) => p.map((v, l) => (l === k ? value + by : v));
    const up = isInside(placeOf(freedom, moved(SLOPE_STEP)), reach) ? SLOPE_STEP : 0,
      down = isInside(placeOf(freedom, moved(-SLOPE_STEP)), reach) ? -SLOPE_STEP : 0;
    if (up === down) return now.left.map((list) => new Float32Array(list.length));
    const high = up === 0 ? now.left : leftAt(moved(up)),
      low = down === 0 ? now.left : leftAt(moved(down));
    return high.map((list, f) => list.map((v, i) => (v - low[f][i]) / (up - down)));
  });
}

/** For one or two unknowns; a direction that nothing depends on is left alone. */
function solve(matrix: readonly (readonly number[])[], right: readonly number[], damping: number): number[] {
  if (right.length === 0) return [];
  const d0 = matrix[0][0] * (1 + damping) + 1e-12;
  if (right.length === 1) return [right[0] / d0];
  const d1 = matrix[1][1] * (1 + damping) + 1e-12,
    m = matrix[0][1];
  const determinant = d0 * d1 - m * m;
  if (!(determinant > 0)) return [right[0] / d0, 0];
  return [(right[0] * d1 - right[1] * m) / determinant, (right[1] * d0 - right[0] * m) / determinant];
}

function bestOf(found: readonly Refined[]): Refined {
  return found.reduce((best, other) => (other.plainCost < best.plainCost ? other : best));
}

/** By leaving out each part of the picture in turn: one step from the place that all of them found. Covariance of the free numbers. */
function jackknife(parts: readonly Equations[], whole: Equations): number[][] {
  const n = whole.right.length;
  const sum = whole.right.map(() => whole.right.map(() => 0));
  for (const part of parts) {
    const matrix = whole.matrix.map((row, k) => row.map((v, l) => v - part.matrix[k][l])),
      right = whole.right.map((v, k) => v - part.right[k]);
    const step = solve(matrix, right, 0);
    for (let k = 0; k < n; k++) for (let l = 0; l < n; l++) sum[k][l] += step[k] * step[l];
  }
  return sum;
}

/** What the blur itself is off by along the streak on clean scenes, in pixels: see docs/decisions.md. */
const OFF_PX = 0.1;

function matchOf(frames: readonly Moments[], few: readonly Moments[], locks: MatchLocks, freedom: Freedom, found: Found): ShutterMatch {
  const { a, b, shape, weights, grading, p } = found,
    reach = frames[0].reach;
  const parts: Equations[] = [];
  const whole = normalEquations(
    frames,
    weights,
    freedom,
    reach,
    p,
    found.difference,
    (q) => {
      const place = placeOf(freedom, q);
      return differenceAt(frames, weights, place.a, place.b, shape, grading).left;
    },
    parts,
  );
  const covariance = jackknife(parts, whole),
    ofItself = OFF_PX / Math.max(OFF_PX, ...frames.map((m) => m.travelPx));
  /** Standard error of wa x a + wb x b. */
  const errorOf = (wa: number, wb: number): number => {
    const along = freedom.along.map(([da, db]) => wa * da + wb * db);
    let sum = 0;
    along.forEach((u, k) => along.forEach((v, l) => (sum += u * v * covariance[k][l])));
    return Math.hypot(Math.sqrt(Math.max(0, sum)), ofItself * Math.hypot(...along));
  };
  const strength = strengthOf(locks, a, b);
  const opens = locks.opens ?? a / strength,
    closes = locks.closes ?? b / strength;
  const weightsNow = evenWeights(frames);
  const cost = (from: number, to: number) => differenceAt(frames, weightsNow, from, to, shape, grading).cost;
  const all = differenceAt(frames, weightsNow, a, b, shape, grading);
  const sharpCost = differenceAt(frames, weightsNow, -SHORTEST / 2, SHORTEST / 2, EVEN, grading).cost;
  const measured = {
    opens,
    closes,
    strength,
    shape,
    opensError: locks.opens !== null ? null : errorOf(1, 0) / strength,
    closesError: locks.closes !== null ? null : errorOf(0, 1) / strength,
    strengthError: locks.strength !== null ? null : strengthErrorOf(locks, errorOf),
    angleErrorDeg: locks.opens !== null && locks.closes !== null ? 0 : (360 * errorOf(-1, 1)) / strength,
    grade: all.grade,
    residual: Math.sqrt(all.cost),
    sharpResidual: Math.sqrt(sharpCost),
    curve: curveOf(few, freedom, found, strength),
    frames: frames.map(({ frame }, f) => ({
      frame,
      residual: Math.sqrt(differenceAt([frames[f]], [weightsNow[f]], a, b, shape, grading).cost),
    })),
  };
  return {
    ...measured,
    ...doubts(measured, { locks, a, b, reach, mirrored: isInside({ a: -b, b: -a }, reach) ? cost(-b, -a) : null, rivals: found.rivals }),
  };
}

function strengthOf({ opens, closes, strength }: MatchLocks, a: number, b: number): number {
  if (strength !== null) return Math.max(1e-6, strength);
  const far = Math.abs(opens ?? 0) >= Math.abs(closes ?? 0) ? opens : closes,
    there = far === opens ? a : b;
  return far === null || far === 0 || there / far <= 0 ? 1 : there / far;
}

function strengthErrorOf({ opens, closes }: MatchLocks, errorOf: (wa: number, wb: number) => number): number | null {
  const isOpens = Math.abs(opens ?? 0) >= Math.abs(closes ?? 0),
    end = isOpens ? opens : closes;
  return end === null || end === 0 ? null : errorOf(isOpens ? 1 : 0, isOpens ? 0 : 1) / Math.abs(end);
}

const CURVE_DEG = 15,
  MOST_DEG = 720;

/** The residual by angle: each with the best phase that the locks leave. */
function curveOf(frames: readonly Moments[], freedom: Freedom, { shape, grading, a, b }: Found, strength: number): ShutterMatch['curve'] {
  const { reach } = frames[0],
    weights = evenWeights(frames);
  const out: { angleDeg: number; residual: number }[] = [];
  const [lockedA, lockedB] = [0, 1].map((k) => (freedom.along.every((along) => along[k] === 0) ? freedom.base[k] : null));
  const isStrength = freedom.along.length === 1 && freedom.along[0][0] !== 0 && freedom.along[0][1] !== 0;
  for (let angleDeg = CURVE_DEG; angleDeg <= MOST_DEG; angleDeg += CURVE_DEG) {
    const length = (angleDeg / 360) * strength;
    const middles: number[] = [];
    if (lockedA !== null) middles.push(lockedA + length / 2);
    else if (lockedB !== null) middles.push(lockedB - length / 2);
    else if (isStrength) middles.push((((a + b) / 2) * length) / Math.max(1e-6, b - a));
    else for (let middle = -reach; middle <= reach; middle += GRID) middles.push(middle);
    let least = Infinity;
    for (const middle of middles) {
      const place = { a: middle - length / 2, b: middle + length / 2 };
      if (isInside(place, reach)) least = Math.min(least, differenceAt(frames, weights, place.a, place.b, shape, grading).cost);
    }
    if (least < Infinity) out.push({ angleDeg, residual: Math.sqrt(least) });
  }
  return out;
}

/** A picture of ours as the reference is graded, in place. */
export function gradeLike({ gain, offset }: ReferenceGrade, rgba: Float32Array): void {
  for (let i = 0; i < rgba.length; i += 4) for (let c = 0; c < 3; c++) rgba[i + c] = gain[c] * rgba[i + c] + offset[c] * rgba[i + 3];
}

export function matchAngleDeg(match: Pick<ShutterMatch, 'opens' | 'closes'>): number {
  return shutterAngleDeg(match);
}
