import { isInside, placeOf, SHORTEST, type Freedom } from './fit-freedom';
import { jackknife, normalEquations, type Equations, type Place, type Refined } from './fit-refine';
import { EVEN, GRID } from './fit-starts';
import { differenceAt, evenWeights } from './match-cost';
import { doubts } from './match-doubts';
import type { Moments } from './moments';
import type { MatchLocks, ShutterMatch } from './shutter-match';

export interface Found extends Refined {
  /** Exposures far from it that come as close. */
  readonly rivals: readonly Place[];
}

/** What the blur itself is off by along the streak on clean scenes, in pixels, by how it matches renders of known shutters. */
const OFF_PX = 0.1;

/** What was found, with how sure it is and how the residual goes with the angle. */
export function matchOf(
  frames: readonly Moments[],
  few: readonly Moments[],
  locks: MatchLocks,
  freedom: Freedom,
  found: Found,
): ShutterMatch {
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
