/**
 * One repair of a motion pass. Nothing is changed on disk: the list is applied whenever the pass is read, in the order of REPAIR_ORDER,
 * and each step can be switched off. A curve and multiplied alpha belong to the encoding, which undoes them first.
 */
export type RepairStep =
  /** What stands still reads this many pixels per frame: taken off everywhere. */
  | { readonly kind: 'recentre'; readonly on: boolean; readonly xPx: number; readonly yPx: number }
  /** Values mixed at soft edges with what stands still behind: divided by the beauty's alpha, about no motion. */
  | { readonly kind: 'unmix'; readonly on: boolean }
  /** Pixels that lie alone between two motions take the nearer of them. */
  | { readonly kind: 'outliers'; readonly on: boolean }
  /** Partly covered pixels carry on the motion of the covered ones beside them. */
  | { readonly kind: 'growEdges'; readonly on: boolean; readonly reachPx: number }
  /** Pixels without a vector inside the picture, and clipped ones, continue the motion beside them. */
  | { readonly kind: 'fillHoles'; readonly on: boolean; readonly clipped: boolean }
  /** The steps of whole-number types become slopes: each vector moves by at most half a step of its type, towards those beside it. */
  | { readonly kind: 'smoothSteps'; readonly on: boolean }
  /** Slower than the floor stands still; faster than the ceiling is shortened to it. Null: no ceiling. */
  | { readonly kind: 'speedLimits'; readonly on: boolean; readonly floorPx: number; readonly ceilingPx: number | null };

export type RepairKind = RepairStep['kind'];

/** Bad values go before anything looks at neighbours; limits come last, on what will be used. */
export const REPAIR_ORDER: readonly RepairKind[] = [
  'recentre',
  'unmix',
  'fillHoles',
  'outliers',
  'smoothSteps',
  'growEdges',
  'speedLimits',
];

/** The steps that are on, in the order in which they are applied. */
export function orderedRepairs(steps: readonly RepairStep[]): RepairStep[] {
  return steps.filter((s) => s.on).sort((a, b) => REPAIR_ORDER.indexOf(a.kind) - REPAIR_ORDER.indexOf(b.kind));
}

/** The list does already what the step would do. */
export function isRepaired(steps: readonly RepairStep[], wanted: RepairStep): boolean {
  return steps.some(
    (s) => s.on && s.kind === wanted.kind && (s.kind !== 'fillHoles' || wanted.kind !== 'fillHoles' || s.clipped || !wanted.clipped),
  );
}
