import type { Identification, Mend, MotionFact, RepairStep } from '@ivrex/core';
import { SYMPTOM_CODES } from '@ivrex/core';
import { z } from 'zod';
import { encodingSchema } from './encoding-schema';

/** A repair that is applied whenever the pass is read; the file stays as it is. */
export const repairStepSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('recentre'), on: z.boolean(), xPx: z.number(), yPx: z.number() }),
  z.strictObject({ kind: z.literal('unmix'), on: z.boolean() }),
  z.strictObject({ kind: z.literal('outliers'), on: z.boolean() }),
  z.strictObject({ kind: z.literal('growEdges'), on: z.boolean(), reachPx: z.number().min(0).max(200) }),
  z.strictObject({ kind: z.literal('fillHoles'), on: z.boolean(), clipped: z.boolean() }),
  z.strictObject({ kind: z.literal('smoothSteps'), on: z.boolean() }),
  z.strictObject({
    kind: z.literal('speedLimits'),
    on: z.boolean(),
    floorPx: z.number().min(0).max(1000),
    ceilingPx: z.number().positive().max(100000).nullable(),
  }),
]) satisfies z.ZodType<RepairStep>;

/** A list of repairs as it is saved in a file of its own. */
export const repairListSchema = z.array(repairStepSchema).max(20);

const pointSchema = { x: z.number(), y: z.number() };
export const motionFactSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('still'), ...pointSchema }),
  z.strictObject({ kind: z.literal('moved'), ...pointSchema, toX: z.number(), toY: z.number() }),
]) satisfies z.ZodType<MotionFact>;

/** Null frame: the frames that tell most are chosen. */
export const identifyRequestSchema = z.strictObject({
  frame: z.number().int().nullable().default(null),
  /** Several frames together, where none is asked for: slower, and surer. */
  thorough: z.boolean().default(false),
  facts: z.array(motionFactSchema).max(50).default([]),
});

const mendSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('reading') }),
  z.object({ kind: z.literal('repair'), step: repairStepSchema }),
  z.object({ kind: z.literal('shift'), frames: z.union([z.literal(1), z.literal(-1)]) }),
  z.object({ kind: z.literal('otherBeauty') }),
  z.object({ kind: z.literal('makeMotion') }),
]) satisfies z.ZodType<Mend>;

const plotSchema = z.object({
  channel: z.string(),
  points: z.array(z.object({ stored: z.number(), measured: z.number(), fits: z.boolean(), ...pointSchema })).readonly(),
  line: z.array(z.object({ stored: z.number(), measured: z.number() })).readonly(),
});

export const identificationSchema = z.object({
  encoding: encodingSchema,
  confidence: z.number(),
  frameOffset: z.number().int(),
  symptoms: z
    .array(
      z.object({
        code: z.enum(SYMPTOM_CODES),
        severity: z.enum(['info', 'warning', 'error']),
        message: z.string(),
        effect: z.string().nullable(),
        advice: z.string().nullable(),
        mend: mendSchema.nullable(),
        at: z.object(pointSchema).nullable(),
      }),
    )
    .readonly(),
  evidence: z.object({
    from: z.enum(['pictures', 'values', 'facts']),
    frames: z.array(z.number().int()).readonly(),
    points: z.number(),
    measured: z.number(),
    explained: z.number(),
    residual: z.object({ before: z.number(), after: z.number() }).nullable(),
    plots: z.array(plotSchema).readonly(),
    readings: z.array(z.object({ encoding: encodingSchema, share: z.number(), explained: z.number() })).readonly(),
    isKnown: z.boolean(),
    wouldTell: z.array(z.string()).readonly(),
  }),
}) satisfies z.ZodType<Identification>;

/** What was worked out, and in which frame of the shot. */
export const motionReadingSchema = identificationSchema.extend({ frame: z.number().int() });
export type MotionReading = z.infer<typeof motionReadingSchema>;

export const frameAuditSchema = z.object({
  frame: z.number().int(),
  peakPx: z.number(),
  p999Px: z.number(),
  meanPx: z.number(),
  rangePx: z.number(),
  steadyRangePx: z.number(),
  clipped: z.number(),
  nan: z.number(),
  inf: z.number(),
  invalid: z.number(),
  at: z.object(pointSchema),
});
export type FrameAuditRow = z.infer<typeof frameAuditSchema>;

/** The audit of all frames under the agreed encoding: what is known so far, and whether more is coming. */
export const motionAuditSchema = z.object({
  state: z.enum(['running', 'done', 'cancelled']),
  total: z.number().int(),
  frames: z.array(frameAuditSchema),
  failed: z.array(z.object({ frame: z.number().int(), message: z.string() })),
  secondsLeft: z.number().nullable(),
});
export type MotionAudit = z.infer<typeof motionAuditSchema>;

/** Writing a motion pass in another encoding, all frames of the shot. */
export const remapOrderSchema = z.strictObject({
  /** Part of file and folder names. */
  name: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9_.-]{0,79}$/, 'use letters, digits, dot, dash and underscore'),
  to: encodingSchema,
  type: z.enum(['u8', 'u16', 'half', 'float']),
  format: z.enum(['exr', 'png', 'tif']),
});
export type RemapOrder = z.infer<typeof remapOrderSchema>;

export const motionRemapSchema = z.object({
  state: z.enum(['running', 'done', 'failed', 'cancelled']),
  name: z.string(),
  pattern: z.string(),
  done: z.number().int(),
  total: z.number().int(),
  predictedErrorPx: z.number(),
  maxErrorPx: z.number(),
  clippedPixels: z.number(),
  invalidPixels: z.number(),
  /** Frames that could not be written, and why. */
  failed: z.array(z.object({ frame: z.number().int(), message: z.string() })),
});
export type MotionRemap = z.infer<typeof motionRemapSchema>;
