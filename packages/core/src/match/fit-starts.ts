import { exposureWithin, type ExposureShape } from '../shutter/exposure-shape';
import { isInside, placeOf, type Freedom } from './fit-freedom';
import type { Grading, Refined } from './fit-refine';
import { differenceAt, evenWeights } from './match-cost';
import type { Moments } from './moments';

export const EVEN: ExposureShape = { kind: 'even' };
/** Frames between the exposures that are tried. */
export const GRID = 1 / 16;
const FEW_POINTS = 1800;

/** Enough points to find the place. */
export function thinned(frames: readonly Moments[]): readonly Moments[] {
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
export function startsOn(frames: readonly Moments[], freedom: Freedom, reach: number, shape: ExposureShape, grading: Grading): number[][] {
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
export function startsAround(even: Refined, shape: ExposureShape, freedom: Freedom, reach: number): number[][] {
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
