import { z } from 'zod';
import { encodingSchema } from './encoding-schema';
import { frameAuditSchema, motionReadingSchema, repairListSchema } from './motion';
import { matchReportSchema, renderCostSchema, trustVerdictSchema } from './match';
import { roleSchema } from './settings';
import { shutterPlanSchema } from './shutter-schema';

const figuresSchema = z.object({
  /** Null when equal. */
  psnr: z.number().nullable(),
  maskedPsnr: z.number().nullable(),
  ssim: z.number(),
  maxAbs: z.number(),
  meanAbs: z.number(),
  maxAt: z.object({ x: z.number(), y: z.number() }),
});

/** A shot as it is handed over: how its motion is stored, what its blur was made with, how near it is, and where not to trust it. */
export const shotReportSchema = z.object({
  ivrexReport: z.literal(1),
  shot: z.object({
    name: z.string(),
    folder: z.string(),
    firstFrame: z.number().int(),
    lastFrame: z.number().int(),
    fps: z.number().nullable(),
    width: z.number().int(),
    height: z.number().int(),
  }),
  madeAt: z.string(),
  /** The change that the shot stood at. */
  state: z.string(),
  passes: z.array(
    z.object({
      name: z.string(),
      file: z.string(),
      role: roleSchema,
      frames: z.string(),
      channels: z.array(z.string()),
      compression: z.string(),
    }),
  ),
  findings: z.array(z.string()),
  encoding: encodingSchema.nullable(),
  reading: motionReadingSchema.nullable(),
  repairs: repairListSchema,
  audit: z.array(frameAuditSchema),
  shutter: z.object({ words: z.string(), plan: shutterPlanSchema }),
  path: z.string(),
  match: matchReportSchema.nullable(),
  /** The reference's name. */
  matchedTo: z.string().nullable(),
  frames: z.array(
    z.object({
      frame: z.number().int(),
      reference: z.string().nullable(),
      figures: figuresSchema.nullable(),
      before: figuresSchema.nullable(),
      made: z.string(),
      trust: trustVerdictSchema.nullable(),
      pictures: z.array(z.object({ title: z.string(), base64: z.string() })),
      warnings: z.array(z.string()),
    }),
  ),
  cost: renderCostSchema,
});
export type ShotReport = z.infer<typeof shotReportSchema>;

export const reportQuerySchema = z.object({ frame: z.coerce.number().int() });
export const reportFormSchema = z.enum(['html', 'pdf', 'json']);
