import type { ExposureShape, PathChoice, Shutter, ShutterPlan, SpeedLimits, StrengthKey } from '@ivrex/core';
import { z } from 'zod';

/** Longest exposure and strength that are taken; beyond them a path from three frames says nothing. */
export const MAX_SHUTTER_FRAMES = 4;
export const MAX_STRENGTH = 10;

const share = z.number().min(0).max(1);

export const exposureShapeSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('even') }),
  z
    .strictObject({ kind: z.literal('ramps'), opening: share, closing: share })
    .refine(({ opening, closing }) => opening + closing <= 1 + 1e-9, {
      message: 'opening and closing together must not take longer than the whole exposure',
      path: ['closing'],
    }),
  z.strictObject({ kind: z.literal('bell') }),
]) satisfies z.ZodType<ExposureShape>;

const strengthSchema = z.number().min(0).max(MAX_STRENGTH);
const time = z.number().min(-MAX_SHUTTER_FRAMES).max(MAX_SHUTTER_FRAMES);
const shutterFields = { opens: time, closes: time, strength: strengthSchema, shape: exposureShapeSchema.optional() };
const inOrder = (s: Pick<Shutter, 'opens' | 'closes'>) => s.opens <= s.closes;
const notInOrder = { message: 'the shutter must not close before it opens', path: ['closes'] };

/** The shutter of one frame. */
export const shutterSchema = z.strictObject(shutterFields).refine(inOrder, notInOrder) satisfies z.ZodType<Shutter>;

export const strengthKeySchema = z.strictObject({
  frame: z.number().int(),
  strength: strengthSchema,
  way: z.enum(['hold', 'linear', 'smooth']),
}) satisfies z.ZodType<StrengthKey>;

const pixels = z.number().positive().max(100000).nullable();
export const speedLimitFields = { floorPx: pixels.default(null), ceilingPx: pixels.default(null) };
const floorIsBelow = ({ floorPx, ceilingPx }: SpeedLimits) => floorPx === null || ceilingPx === null || floorPx <= ceilingPx;
const floorIsAbove = { message: 'the speed floor must not lie above the ceiling', path: ['ceilingPx'] };
export const speedLimitsSchema = z.strictObject(speedLimitFields).refine(floorIsBelow, floorIsAbove) satisfies z.ZodType<SpeedLimits>;

/** The shutter of a shot or element over all its frames. */
export const shutterPlanSchema = z
  .strictObject({
    ...shutterFields,
    ...speedLimitFields,
    keys: z
      .array(strengthKeySchema)
      .max(2000)
      .refine((keys) => keys.every((key, i) => i === 0 || key.frame > keys[i - 1].frame), {
        message: 'strength keys must be in order of their frames, one a frame',
      })
      .readonly()
      .default([]),
  })
  .refine(inOrder, notInOrder)
  .refine(floorIsBelow, floorIsAbove) satisfies z.ZodType<ShutterPlan>;

export const pathChoiceSchema = z.enum(['auto', 'straight', 'bent', 'arc']) satisfies z.ZodType<PathChoice>;
export const samplesSchema = z.union([z.literal('auto'), z.number().int().min(1).max(512)]);
