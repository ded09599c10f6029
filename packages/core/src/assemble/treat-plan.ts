import type { BlurPlan } from '../blur/model/blur-plan';
import { completeDepth } from '../depth/complete-depth';
import { limitSpeeds } from '../blur/render/limit-speeds';
import type { SpeedLimits } from '../shutter/shutter-plan';
import type { Kernels } from '@ivrex/kernels/interface';
import { defocusPlan } from './defocus';
import { gradeTables, type Grade } from './grade';
import type { Lens } from './lens';

/** What of the kernels a treatment needs. */
export type TreatKernels = Pick<Kernels, 'grade' | 'openAperture'>;

/** What is done to an element before it moves: light first, then the lens. */
export interface Treatment {
  readonly limits: SpeedLimits;
  /** Null: the colours as they are. */
  readonly grade: Grade | null;
  readonly lens: Lens | null;
}

export const UNTREATED: Treatment = { limits: { floorPx: null, ceilingPx: null }, grade: null, lens: null };

/**
 * A plan under a treatment. Surfaces are graded one by one, so that a pixel shared by two of them is not graded as a mixture. The same plan when
 * nothing is to be done.
 * @param depth of every pixel, in the lens's units; null leaves the lens out
 * @param floats memory for what is made anew
 */
export function treatPlan(
  plan: BlurPlan,
  { limits, grade, lens }: Treatment,
  depth: Float32Array | null,
  quality: 'draft' | 'final',
  floats: (length: number) => Float32Array,
  kernels: TreatKernels,
): BlurPlan {
  const graded = gradePlan(limitSpeeds(plan, limits, floats), grade, floats, kernels);
  if (lens === null || depth === null) return graded;
  return defocusPlan(graded, completeDepth(depth, plan.width, { ids: null, motion: null }), lens, quality, floats, kernels);
}

function gradePlan(plan: BlurPlan, grade: Grade | null, floats: (length: number) => Float32Array, kernels: TreatKernels): BlurPlan {
  const tables = gradeTables(grade);
  if (tables === null) return plan;
  const graded = (colour: Float32Array) => {
    const out = floats(colour.length);
    out.set(colour);
    kernels.grade(out, tables);
    return out;
  };
  return { ...plan, sharp: graded(plan.sharp), layers: plan.layers.map((layer) => ({ ...layer, colour: graded(layer.colour) })) };
}
