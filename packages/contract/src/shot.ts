import { COMPRESSIONS } from '@ivrex/core';
import { z } from 'zod';
import { passIdSchema, sequenceIdSchema, shotIdSchema } from './ids';
import { roleSchema, shotSettingsSchema, type Role, type ShotSettings } from './settings';

/** One layer of one sequence of files: facts only, nothing decided. */
export const passSchema = z.object({
  id: passIdSchema,
  sequenceId: sequenceIdSchema,
  name: z.string(),
  file: z.string(),
  part: z.number().int(),
  layer: z.string(),
  channels: z.array(z.object({ name: z.string(), type: z.enum(['half', 'float', 'uint']) })),
  width: z.number().int(),
  height: z.number().int(),
  pixelAspect: z.number(),
  compression: z.enum(COMPRESSIONS),
  /** Null for a lone file. */
  frames: z.array(z.number().int()).nullable(),
  missing: z.array(z.number().int()),
  fps: z.number().nullable(),
  /** Header facts worth showing, in words. */
  facts: z.array(z.object({ name: z.string(), value: z.string() })),
  guess: z.object({ role: roleSchema, reason: z.string() }),
});
export type Pass = z.infer<typeof passSchema>;

export const findingSchema = z.object({
  severity: z.enum(['info', 'warning', 'error']),
  message: z.string(),
  frame: z.number().int().nullable(),
  sequenceId: sequenceIdSchema.nullable(),
});
export type Finding = z.infer<typeof findingSchema>;

export const shotSummarySchema = z.object({
  id: shotIdSchema,
  name: z.string(),
  folder: z.string(),
  firstFrame: z.number().int(),
  lastFrame: z.number().int(),
  fps: z.number().nullable(),
  width: z.number().int(),
  height: z.number().int(),
  changedAt: z.string(),
  openFindings: z.number().int(),
  step: z.enum(['passes', 'motion', 'shutter', 'deliver']),
  thumbnailPass: passIdSchema.nullable(),
});
export type ShotSummary = z.infer<typeof shotSummarySchema>;

export const shotDetailSchema = z.object({
  shot: shotSummarySchema,
  passes: z.array(passSchema),
  findings: z.array(findingSchema),
  settings: shotSettingsSchema,
  state: z.object({ sequence: z.number().int(), label: z.string(), undo: z.string().nullable(), redo: z.string().nullable() }),
});
export type ShotDetail = z.infer<typeof shotDetailSchema>;

export const newShotSchema = z.strictObject({ folder: z.string().min(1).max(4000) });
/** `basedOn` is the state that the change was made to: a change to another one is a conflict, not a silent loss. */
export const settingsChangeSchema = z.strictObject({
  settings: shotSettingsSchema,
  label: z.string().min(1).max(200),
  basedOn: z.number().int(),
});

export const mediaFolderSchema = z.object({
  folder: z.string(),
  name: z.string(),
  sequences: z.number().int(),
  shotId: shotIdSchema.nullable(),
});
export type MediaFolder = z.infer<typeof mediaFolderSchema>;

/** Background work that is not a delivery, such as making the demo. */
export const workSchema = z.object({
  kind: z.string(),
  label: z.string(),
  state: z.enum(['running', 'done', 'failed']),
  done: z.number(),
  total: z.number(),
  secondsLeft: z.number().nullable(),
  error: z.string().nullable(),
});
export type Work = z.infer<typeof workSchema>;

/** What a pass counts as: what the artist said, else what it was taken for (passes may arrive after the last decision). */
export function roleOf(settings: Pick<ShotSettings, 'roles'>, pass: Pass): Role {
  return settings.roles[pass.id] ?? pass.guess.role;
}
