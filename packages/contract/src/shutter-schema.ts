import type { PathChoice, Shutter } from '@ivrex/core';
import { z } from 'zod';

/** Longest exposure and strength that are taken; beyond them a path from three frames says nothing. */
export const MAX_SHUTTER_FRAMES = 4;

export const shutterSchema = z
  .strictObject({
    opens: z.number().min(-MAX_SHUTTER_FRAMES).max(MAX_SHUTTER_FRAMES),
    closes: z.number().min(-MAX_SHUTTER_FRAMES).max(MAX_SHUTTER_FRAMES),
    strength: z.number().min(0).max(10),
  })
  .refine((s) => s.opens <= s.closes, {
    message: 'the shutter must not close before it opens',
    path: ['closes'],
  }) satisfies z.ZodType<Shutter>;

export const pathChoiceSchema = z.enum(['auto', 'straight', 'bent', 'arc']) satisfies z.ZodType<PathChoice>;
export const samplesSchema = z.union([z.literal('auto'), z.number().int().min(1).max(512)]);
