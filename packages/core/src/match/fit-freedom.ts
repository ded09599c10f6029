import type { MatchLocks } from './shutter-match';

/**
 * The exposure in the motion's own time, from `a` to `b`: opens and closes times the strength, on which alone the picture depends. What is
 * free runs along straight lines in it: (a, b) = base + along[0] x p0 + along[1] x p1.
 */
export interface Freedom {
  readonly base: readonly [number, number];
  readonly along: readonly (readonly [number, number])[];
}

/** The shortest exposure that is looked for, in frames. */
export const SHORTEST = 1 / 180;

export function freedomOf({ opens, closes, strength }: Pick<MatchLocks, 'opens' | 'closes' | 'strength'>): Freedom {
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

export function placeOf({ base, along }: Freedom, p: readonly number[]): { a: number; b: number } {
  let [a, b] = base;
  along.forEach(([da, db], k) => {
    a += da * p[k];
    b += db * p[k];
  });
  return { a, b };
}

export function isInside({ a, b }: { a: number; b: number }, reach: number): boolean {
  return b - a >= SHORTEST - 1e-9 && a >= -reach - 1e-9 && b <= reach + 1e-9;
}
