import { assertNever } from '../../errors';
import { nearestMember } from '../../raster/nearest';
import type { MotionField } from '../../raster/motion-field';
import { continueClipped } from './continue-clipped';
import { continueMotion } from './continue-motion';
import { replaceOutliers } from './replace-outliers';
import { smoothSteps } from './smooth-steps';
import { orderedRepairs, type RepairKind, type RepairStep } from './repair-step';

/** What repairs look at beside the field. Planes over the field's pixels. */
export interface RepairContext {
  /** The beauty's coverage, 0 to 1; null when there is none. */
  readonly alpha: Float32Array | null;
  /** Which components ran into the end of their range: bits `CLIPPED_X`, `CLIPPED_Y`. */
  readonly clipped: Uint8Array | null;
  /** 1 where the pass holds black instead of a vector; such pixels decode to nonsense. */
  readonly black: Uint8Array | null;
  /** Half a step of the stored type, pixels per frame, interleaved x, y; null when the type has no steps that matter. */
  readonly halfStep: Float32Array | null;
}

export interface RepairedField {
  readonly field: MotionField;
  /** By step, pixels whose vector is another one now. */
  readonly changed: Readonly<Partial<Record<RepairKind, number>>>;
}

/** Applies the steps that are on to a copy; the field that was given stays as it is. */
export function repairField(field: MotionField, steps: readonly RepairStep[], context: RepairContext): RepairedField {
  const out: MotionField = {
    ...field,
    toNext: field.toNext.slice(),
    toPrevious: field.toPrevious.slice(),
    valid: field.valid.slice(),
  };
  const changed: Partial<Record<RepairKind, number>> = {};
  for (const step of orderedRepairs(steps)) changed[step.kind] = apply(out, step, context);
  return { field: out, changed };
}

function apply(field: MotionField, step: RepairStep, context: RepairContext): number {
  switch (step.kind) {
    case 'recentre':
      return recentre(field, step.xPx, step.yPx);
    case 'unmix':
      return unmix(field, context.alpha);
    case 'fillHoles':
      return fillHoles(field, context, step.clipped);
    case 'outliers':
      return replaceOutliers(field);
    case 'smoothSteps':
      return smoothSteps(field, context.halfStep, context.alpha);
    case 'growEdges':
      return growEdges(field, context.alpha, step.reachPx);
    case 'speedLimits':
      return limitSpeed(field, step.floorPx, step.ceilingPx);
    default:
      return assertNever(step);
  }
}

function recentre({ toNext, toPrevious, valid }: MotionField, xPx: number, yPx: number): number {
  let changed = 0;
  for (let i = 0; i < valid.length; i++) {
    if (valid[i] === 0) continue;
    toNext[i * 2] -= xPx;
    toNext[i * 2 + 1] -= yPx;
    toPrevious[i * 2] += xPx;
    toPrevious[i * 2 + 1] += yPx;
    changed++;
  }
  return changed;
}

/** Less covered than this a value is mostly rounding. */
const LEAST_ALPHA = 0.05;

function unmix({ toNext, toPrevious, valid }: MotionField, alpha: Float32Array | null): number {
  if (alpha === null) return 0;
  let changed = 0;
  for (let i = 0; i < valid.length; i++) {
    if (valid[i] === 0 || alpha[i] >= 0.999 || alpha[i] < LEAST_ALPHA) continue;
    for (const vectors of [toNext, toPrevious]) {
      vectors[i * 2] /= alpha[i];
      vectors[i * 2 + 1] /= alpha[i];
    }
    changed++;
  }
  return changed;
}

function fillHoles(field: MotionField, { alpha, clipped, black }: RepairContext, withClipped: boolean): number {
  const { valid } = field;
  const hole = new Uint8Array(valid.length),
    trusted = new Uint8Array(valid.length),
    short = new Uint8Array(valid.length);
  let holes = 0,
    shorts = 0;
  for (let i = 0; i < valid.length; i++) {
    if (valid[i] === 0 || black?.[i] === 1) {
      if (alpha === null || alpha[i] > 0) {
        hole[i] = 1;
        holes++;
      } else valid[i] = 0;
    } else if (withClipped && clipped !== null && clipped[i] !== 0) {
      short[i] = clipped[i];
      shorts++;
    } else trusted[i] = 1;
  }
  return (shorts === 0 ? 0 : continueClipped(field, trusted, short)) + (holes === 0 ? 0 : continueMotion(field, trusted, hole));
}

/** A pixel is wholly covered from here on. */
const COVERED = 0.985;

/** The motion of covered pixels is carried on, not copied: three pixels further out on a fast wheel it is another one. */
function growEdges(field: MotionField, alpha: Float32Array | null, reachPx: number): number {
  if (alpha === null) return 0;
  const { valid, width, height } = field;
  const inside = new Uint8Array(valid.length),
    edge = new Uint8Array(valid.length);
  for (let i = 0; i < valid.length; i++) inside[i] = valid[i] === 1 && alpha[i] > COVERED ? 1 : 0;
  const nearest = nearestMember(inside, width, height);
  for (let i = 0; i < valid.length; i++) {
    const from = nearest[i];
    if (inside[i] === 1 || alpha[i] <= 0 || from < 0) continue;
    if (Math.hypot((from % width) - (i % width), Math.floor(from / width) - Math.floor(i / width)) <= reachPx) edge[i] = 1;
  }
  return continueMotion(field, inside, edge);
}

function limitSpeed({ toNext, toPrevious, valid }: MotionField, floorPx: number, ceilingPx: number | null): number {
  let changed = 0;
  for (let i = 0; i < valid.length; i++) {
    let touched = false;
    for (const vectors of [toNext, toPrevious]) {
      const speed = Math.hypot(vectors[i * 2], vectors[i * 2 + 1]);
      const factor = speed < floorPx ? 0 : ceilingPx !== null && speed > ceilingPx ? ceilingPx / speed : 1;
      if (factor === 1 || speed === 0) continue;
      vectors[i * 2] *= factor;
      vectors[i * 2 + 1] *= factor;
      touched = true;
    }
    if (touched) changed++;
  }
  return changed;
}
