import {
  TRUST_CAUSES,
  type GradeFit,
  type MatchLocks,
  type ShutterMatch,
  type StreakMeasure,
  type StreakRefusal,
  type TrustVerdict,
} from '@ivrex/core';
import { z } from 'zod';
import { namedStateIdSchema, passIdSchema } from './ids';
import { exposureShapeSchema, MAX_SHUTTER_FRAMES, MAX_STRENGTH } from './shutter-schema';

const end = z.number().min(-MAX_SHUTTER_FRAMES).max(MAX_SHUTTER_FRAMES).nullable();

/** What of the shutter is known beforehand; null is to be found. */
export const matchLocksSchema = z
  .strictObject({
    opens: end.default(null),
    closes: end.default(null),
    strength: z.number().positive().max(MAX_STRENGTH).nullable().default(1),
    shape: exposureShapeSchema.nullable().default({ kind: 'even' }),
  })
  .refine(({ opens, closes }) => opens === null || closes === null || closes > opens, {
    message: 'the shutter must close after it opens',
    path: ['closes'],
  }) satisfies z.ZodType<MatchLocks>;

export const gradeFitSchema = z.enum(['none', 'gain', 'gainOffset', 'auto']) satisfies z.ZodType<GradeFit>;

/** Null frames: all that the reference and the element share, evenly thinned. */
export const matchOrderSchema = z.strictObject({
  reference: passIdSchema,
  frames: z.array(z.number().int()).min(1).max(20).nullable().default(null),
  locks: matchLocksSchema,
  grade: gradeFitSchema.default('auto'),
});
export type MatchOrder = z.infer<typeof matchOrderSchema>;

const number3 = z.tuple([z.number(), z.number(), z.number()]).readonly();
export const shutterMatchSchema = z.object({
  opens: z.number(),
  closes: z.number(),
  strength: z.number(),
  shape: exposureShapeSchema,
  opensError: z.number().nullable(),
  closesError: z.number().nullable(),
  strengthError: z.number().nullable(),
  angleErrorDeg: z.number(),
  undetermined: z.array(z.enum(['opens', 'closes', 'strength', 'direction', 'everything'])).readonly(),
  notes: z.array(z.string()).readonly(),
  grade: z.object({ gain: number3, offset: number3 }).nullable(),
  residual: z.number(),
  sharpResidual: z.number(),
  confidence: z.number(),
  curve: z.array(z.object({ angleDeg: z.number(), residual: z.number() })).readonly(),
  frames: z.array(z.object({ frame: z.number(), residual: z.number() })).readonly(),
}) satisfies z.ZodType<ShutterMatch>;

export const matchReportSchema = z.object({ match: shutterMatchSchema, warnings: z.array(z.string()), reference: passIdSchema });
export type MatchReport = z.infer<typeof matchReportSchema>;

const placeSchema = z.object({ x: z.number(), y: z.number() });
/** Null lines: streaks are looked for. */
export const streakOrderSchema = z.strictObject({
  plate: passIdSchema,
  frame: z.number().int(),
  lines: z
    .array(z.strictObject({ from: placeSchema, to: placeSchema }))
    .min(1)
    .max(50)
    .nullable()
    .default(null),
});
export type StreakOrder = z.infer<typeof streakOrderSchema>;

export const streakMeasureSchema = z.object({
  from: placeSchema,
  to: placeSchema,
  lengthPx: z.number(),
  lengthErrorPx: z.number(),
  speedPx: z.number(),
  speedErrorPx: z.number(),
  angleDeg: z.number(),
  angleErrorDeg: z.number(),
  likeness: z.number(),
  profile: z.object({
    start: z.number(),
    step: z.number(),
    measured: z.array(z.number()).readonly(),
    fitted: z.array(z.number()).readonly(),
  }),
  notes: z.array(z.string()).readonly(),
}) satisfies z.ZodType<StreakMeasure>;
export const streakRefusalSchema = z.object({ refused: z.string() }) satisfies z.ZodType<StreakRefusal>;
export const streakReportSchema = z.object({
  streaks: z.array(z.union([streakMeasureSchema, streakRefusalSchema])),
  combined: z.object({ angleDeg: z.number(), errorDeg: z.number() }).nullable(),
});
export type StreakReport = z.infer<typeof streakReportSchema>;

export const trustOrderSchema = z.strictObject({ frame: z.number().int() });
export const trustVerdictSchema = z.object({
  word: z.enum(['fine', 'fix', 'rerender']),
  sentence: z.string(),
  touched: z.number(),
  markedFrom: z.number(),
  markedShare: z.number(),
  seenShare: z.number(),
  expectedPsnr: z.number().nullable(),
  causes: z
    .array(
      z.object({
        cause: z.enum(TRUST_CAUSES),
        markedShare: z.number(),
        seenShare: z.number(),
        worst: placeSchema,
        sentence: z.string(),
        fix: z.enum(['useArcs', 'lookAround', 'chooseBackground', 'chooseDepth', 'mendVectors', 'readMotion', 'mixFrames']).nullable(),
      }),
    )
    .readonly(),
}) satisfies z.ZodType<TrustVerdict>;

/** What rendering costs, in seconds, from the headers; null where they do not say. */
export const renderCostSchema = z.object({
  frames: z.number().int(),
  sharpSeconds: z.number().nullable(),
  /** A frame with its blur in the render, and whether a reference's header says so or it is a usual multiple. */
  blurredSeconds: z.number().nullable(),
  isMeasured: z.boolean(),
});

export const trustReportSchema = z.object({
  /** Under which the map's pixels can be had. */
  map: z.string(),
  frame: z.number().int(),
  verdict: trustVerdictSchema,
  cost: renderCostSchema,
  warnings: z.array(z.string()),
});
export type TrustReport = z.infer<typeof trustReportSchema>;

/** Settings that have a name, and all that were passed, the newest first. */
export const shotStatesSchema = z.object({
  named: z.array(z.object({ id: namedStateIdSchema, name: z.string(), at: z.string(), isNow: z.boolean() })),
  history: z.array(z.object({ sequence: z.number().int(), label: z.string(), at: z.string(), current: z.boolean() })),
});
export type ShotStates = z.infer<typeof shotStatesSchema>;
export const stateNameSchema = z.strictObject({ name: z.string().trim().min(1, 'a name is needed').max(100) });
