import type { ExposureShape } from '../shutter/exposure-shape';
import { freedomOf } from './fit-freedom';
import { matchOf, type Found } from './fit-figures';
import { refine, type Grading, type Place, type Refined } from './fit-refine';
import { EVEN, startsAround, startsOn, thinned } from './fit-starts';
import type { Moments } from './moments';
import type { GradeFit, MatchLocks, ReferenceGrade, ShutterMatch } from './shutter-match';

/** A grade, or another exposure shape than an even one, has to take off this share of the squares to be believed. */
const WORTH_GRADE = 0.3,
  WORTH_SHAPE = 0.12;

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

function bestOf(found: readonly Refined[]): Refined {
  return found.reduce((best, other) => (other.plainCost < best.plainCost ? other : best));
}

/** A picture of ours as the reference is graded, in place. */
export function gradeLike({ gain, offset }: ReferenceGrade, rgba: Float32Array): void {
  for (let i = 0; i < rgba.length; i += 4) for (let c = 0; c < 3; c++) rgba[i + c] = gain[c] * rgba[i + c] + offset[c] * rgba[i + 3];
}
