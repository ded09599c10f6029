import { usualOrder, type Candidate } from './candidates';
import type { PassSamples } from './pass-samples';
import { somePoints, type PointSet, type SpeedOfPass } from './points';
import { scoreMoves } from './score';

/** A candidate with the points of all frames at which it is held against the pictures. */
export interface Case {
  readonly candidate: Candidate;
  readonly sets: readonly PointSet[];
  readonly speed: SpeedOfPass;
  /** Number of points that can tell. */
  readonly telling: number;
  /** Many more points of all frames, for a close decision. */
  readonly manyPoints: () => readonly PointSet[];
}

/** One way to turn a candidate's vectors into pixels of level 0 towards the next frame. */
export interface Reading {
  readonly of: Case;
  /** The candidate's second channel is x. */
  readonly swapped: boolean;
  readonly signX: 1 | -1;
  readonly signY: 1 | -1;
  /** y is stored in heights where x is in widths, or x was multiplied by the pixel aspect: pixels of y per unit against those of x. */
  readonly yScale: number;
  /** Pixels of level 0 per linear stored unit of x, above 0. */
  readonly scale: number;
  /** Which matches it was found by: 0 previous, 1 next, 2 the better of both. */
  readonly side: 0 | 1 | 2;
  readonly prior: number;
  /** As `priorOf` takes it. */
  readonly order: number;
  /** Score at levels 0, 1, 2. */
  readonly scores: readonly [number, number, number];
}

const PRIOR = { swapped: -2.5, oneFlipped: -1, yScale: -1 },
  /** Speeds that the fastest of the pass may have: pixels, and widths of the picture. */
  SLOWEST_PX = 0.6,
  FASTEST_WIDTHS = 0.75,
  STEP = 1.05,
  /** What a logarithm of usualness weighs when maxima are ranked. */
  RANKED_BY_PRIOR = 0.004,
  KEPT_A_KIND = 2,
  KEPT = 30,
  SAME_SCALE = 0.08;

/** The best maxima over all scales, signs and orders of every case, at the coarsest level. */
export function sweep(cases: readonly Case[], samples: PassSamples, yScales: readonly number[]): Reading[] {
  const found = cases.flatMap((c) => sweepCase(c, samples, yScales));
  found.sort((a, b) => rank(b) - rank(a));
  const kept: Reading[] = [];
  for (const reading of found) {
    const alike = kept.filter((k) => isSameKind(k, reading) && k.side === reading.side);
    if (alike.length >= KEPT_A_KIND || alike.some((k) => Math.abs(Math.log(k.scale / reading.scale)) < SAME_SCALE)) continue;
    kept.push(reading);
    if (kept.length >= KEPT) break;
  }
  return kept;
}

function rank({ scores, prior }: Reading): number {
  return scores[2] + RANKED_BY_PRIOR * prior;
}

export function isSameKind(a: Reading, b: Reading): boolean {
  return a.of === b.of && a.swapped === b.swapped && a.yScale === b.yScale && a.signX === b.signX && a.signY === b.signY;
}

function sweepCase(of: Case, samples: PassSamples, yScales: readonly number[]): Reading[] {
  const { candidate, sets, speed } = of;
  const scales = speedsOf(of).map((px) => px / speed.fast);
  const order = usualOrder(samples.names[candidate.a], samples.names[candidate.b]);
  const kinds = [false, true].flatMap((swapped) =>
    (candidate.length === null ? yScales : yScales.slice(0, 1)).map((yScale) => ({ swapped, yScale })),
  );
  // A few points say which scales, signs and orders are worth a look at all of them.
  const few = sets.map((s) => somePoints(s, Math.ceil(FEW_POINTS / sets.length)));
  const rough = kinds.map((kind) => scoreKind(few, kind, scales, null));
  const floor = kthLargest(
    rough.flatMap((rows) => rows.map((r) => Math.max(r[0], r[1], r[2]))),
    LOOKED_AT_ALL,
  );
  return kinds.flatMap((kind, n) => {
    const { swapped, yScale } = kind;
    const isKept = (k: number) => rough[n][k] !== undefined && Math.max(...rough[n][k]) >= floor;
    // Beside what is kept, too: a maximum is one among its neighbours.
    const cells = rough[n].map((_, k) => k).filter((k) => isKept(k) || isKept(k - 1) || isKept(k + 1));
    const exact = scoreKind(sets, kind, scales, cells);
    return SIGNS.flatMap(([signX, signY], s) =>
      ([0, 1, 2] as const).flatMap((side) => {
        const row = scales.map((_, k) => exact[s * scales.length + k]?.[side] ?? -1);
        const prior = priorOf(of, swapped, signX, signY, yScale, order);
        return maximaOf(row).map((k): Reading => ({
          of,
          swapped,
          signX,
          signY,
          yScale,
          scale: scales[k],
          side,
          prior,
          order,
          scores: [0, 0, row[k]],
        }));
      }),
    );
  });
}

const LOOKED_AT_MAXIMA = 4;

/** What straight paths explain at best of a case's points, with channels in a reading's order, at any scale and with any signs. */
export function straightFit(of: Case, like: Reading): number {
  const scales = speedsOf(of).map((px) => px / of.speed.fast);
  const rows = scoreKind(of.sets, like, scales, null);
  const found = SIGNS.flatMap(([signX, signY], s) =>
    ([0, 1] as const).flatMap((side) => {
      const row = scales.map((_, k) => rows[s * scales.length + k][side]);
      return maximaOf(row).map((k): Reading => ({ ...like, of, signX, signY, side, scale: scales[k], scores: [0, 0, row[k]] }));
    }),
  );
  found.sort((a, b) => b.scores[2] - a.scores[2]);
  return Math.max(...found.slice(0, LOOKED_AT_MAXIMA).map((r) => fitOf(refine(r).scores)));
}

/** Logarithm of how usual a reading is but for its scale. `order`: -1 where the first channel is usually x, 1 where the second is, 0 where names do not say. */
export function priorOf({ candidate }: Case, swapped: boolean, signX: number, signY: number, yScale: number, order: number): number {
  return (
    candidate.prior +
    (order > 0 !== swapped && order !== 0 ? PRIOR.swapped : 0) +
    (signX === signY ? 0 : PRIOR.oneFlipped) +
    (yScale === 1 ? 0 : PRIOR.yScale)
  );
}

export const SIGNS = [
  [1, 1],
  [1, -1],
  [-1, -1],
  [-1, 1],
] as const;
const FEW_POINTS = 64,
  LOOKED_AT_ALL = 120;

/** Speeds of the fastest, pixels: at the coarsest level finer steps than a quarter of its pixel show nothing. */
function speedsOf({ sets }: Case): number[] {
  const width = Math.max(...sets.map((s) => s.frame.pictures.width));
  const out: number[] = [];
  for (let px = SLOWEST_PX; px < FASTEST_WIDTHS * width; px = Math.max(px * STEP, px + 0.2 * Math.min(px, 4))) out.push(px);
  return out;
}

/** By sign, then by scale: scores on the three sides; of `cells` only where they are given. */
function scoreKind(
  sets: readonly PointSet[],
  { swapped, yScale }: { readonly swapped: boolean; readonly yScale: number },
  scales: readonly number[],
  cells: readonly number[] | null,
): (readonly [number, number, number])[] {
  const vectors = sets.map((s) => (swapped ? exchanged(s.levels[2].vectors) : s.levels[2].vectors));
  const all = cells ?? Array.from({ length: SIGNS.length * scales.length }, (_, k) => k);
  const scored = scoreMoves(
    sets,
    2,
    { next: vectors, previous: vectors },
    all.map((k) => {
      const [sx, sy] = SIGNS[Math.floor(k / scales.length)],
        scale = scales[k % scales.length];
      return [sx * scale, sy * scale * yScale] as const;
    }),
  );
  const out: (readonly [number, number, number])[] = [];
  all.forEach((k, n) => (out[k] = [scored[0][n], scored[1][n], scored[2][n]]));
  return out;
}

function kthLargest(values: readonly number[], k: number): number {
  const sorted = Float64Array.from(values).sort();
  return sorted[Math.max(0, sorted.length - k)];
}

const MAXIMA_A_ROW = 3;

function maximaOf(row: readonly number[]): number[] {
  const at: number[] = [];
  for (let k = 0; k < row.length; k++) if (row[k] > -1 && !(row[k] < row[k - 1]) && !(row[k] < row[k + 1])) at.push(k);
  return at.sort((a, b) => row[b] - row[a]).slice(0, MAXIMA_A_ROW);
}

/** Pixels of level 0 per linear stored unit, with the axes' signs. */
export function scaleOf({ scale, signX, signY, yScale }: Reading, factor = 1): readonly [number, number] {
  return [scale * factor * signX, scale * factor * signY * yScale];
}

/** Vectors of the patches, x first, of every set of points. */
export function patchesOf({ of, swapped }: Reading, level: number): Float32Array[] {
  return of.sets.map((s) => (swapped ? exchanged(s.levels[level].vectors) : s.levels[level].vectors));
}

/** The patches' vectors with their two components exchanged. */
export function exchanged(vectors: Float32Array): Float32Array {
  const out = new Float32Array(vectors.length);
  for (let i = 0; i < out.length; i += 2) {
    out[i] = vectors[i + 1];
    out[i + 1] = vectors[i];
  }
  return out;
}

const LEVEL_WEIGHTS = [0.3, 0.35, 0.35] as const,
  /** A fit that the finest level does not confirm (soft pictures) still counts by this share of the level above. */
  SOFT = 0.6;

/** What scores of all levels together explain, up to 1. */
export function fitOf([s0, s1, s2]: readonly [number, number, number]): number {
  return LEVEL_WEIGHTS[2] * s2 + LEVEL_WEIGHTS[1] * s1 + LEVEL_WEIGHTS[0] * Math.max(s0, SOFT * s1);
}

/** Windows of the logarithm of the scale, level by level from the coarsest, and how many scales are tried in them. */
const FINER = [
  { level: 2, half: 0.05, steps: 7 },
  { level: 1, half: 0.025, steps: 9 },
  { level: 0, half: 0.01, steps: 9 },
] as const;

/** The same readings with finer scales, and what they score at every level. On clean pictures the scale is good to 0.05 %. */
export function refineAll(readings: readonly Reading[]): Reading[] {
  let refined = [...readings];
  for (const finer of FINER) {
    refined = refined.map((r) => refineAt(r, finer)).sort((a, b) => rank(b) - rank(a));
    // What remains of one kind about one scale, whichever neighbour it was found by, is one.
    if (finer.level === 2)
      refined = refined.filter((r, i) => !refined.slice(0, i).some((other) => isSameKind(r, other) && isSameScale(r, other)));
  }
  return refined;
}

/** Of logarithms of scales: nearer maxima are one. */
const SAME_MAXIMUM = 0.03;

function isSameScale(a: Reading, b: Reading): boolean {
  return Math.abs(Math.log(a.scale / b.scale)) < SAME_MAXIMUM;
}

export function refine(reading: Reading): Reading {
  return FINER.reduce(refineAt, reading);
}

function refineAt(reading: Reading, { level, half, steps }: (typeof FINER)[number]): Reading {
  const { of, signX, signY, yScale, side, scale } = reading,
    vectors = patchesOf(reading, level);
  const span = Math.max(half, Math.min(0.3, (2 ** level * 0.5) / (scale * of.speed.fast)));
  const best = bestScale(scale, span, steps, (tried) => {
    const all = scoreMoves(
      of.sets,
      level,
      { next: vectors, previous: vectors },
      tried.map((k) => [k * signX, k * signY * yScale] as const),
    );
    return all[side];
  });
  const scores: [number, number, number] = [...reading.scores];
  if (level < 2) scores[level] = best.score;
  return { ...reading, scale: best.scale, scores };
}

/** The maximum of a row of scales around one, to a part of a step by the parabola through it. `score` is the row's largest, as tried. */
export function bestScale(
  around: number,
  span: number,
  steps: number,
  scoresOf: (scales: readonly number[]) => ArrayLike<number>,
): { readonly scale: number; readonly score: number; readonly at: number } {
  const scales = Array.from({ length: steps }, (_, i) => around * Math.exp(-span + (2 * span * i) / (steps - 1)));
  const row = scoresOf(scales);
  let at = 0;
  for (let i = 1; i < steps; i++) if (row[i] > row[at]) at = i;
  let part = 0;
  if (at > 0 && at < steps - 1) {
    const bend = row[at - 1] - 2 * row[at] + row[at + 1];
    if (bend < 0) part = (0.5 * (row[at - 1] - row[at + 1])) / bend;
  }
  return { scale: scales[at] * Math.exp((part * 2 * span) / (steps - 1)), score: row[at], at };
}
