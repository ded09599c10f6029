import { SAMPLE_TYPES } from '@ivrex/core';
import { z } from 'zod';
import { deliveryStateSchema } from './delivery';
import { lutIdSchema, passIdSchema, sequenceIdSchema, shotIdSchema, uploadIdSchema } from './ids';
import { pictureChoiceSchema, roleSchema, shotSettingsSchema, type PictureChoice, type Role, type ShotSettings } from './settings';

/** One layer of one sequence of files: facts only, nothing decided. */
export const passSchema = z.object({
  id: passIdSchema,
  sequenceId: sequenceIdSchema,
  name: z.string(),
  file: z.string(),
  part: z.number().int(),
  layer: z.string(),
  channels: z.array(z.object({ name: z.string(), type: z.enum(SAMPLE_TYPES) })),
  width: z.number().int(),
  height: z.number().int(),
  pixelAspect: z.number(),
  compression: z.string(),
  format: z.string(),
  cryptomatte: z.boolean(),
  /** Null for a lone file. In the shot's numbering, as everything that is a frame here. */
  frames: z.array(z.number().int()).nullable(),
  missing: z.array(z.number().int()),
  /** The file's number is the shot's frame plus this. */
  offset: z.number().int(),
  fps: z.number().nullable(),
  /** Header facts worth showing, in words. */
  facts: z.array(z.object({ name: z.string(), value: z.string() })),
  guess: z.object({ role: roleSchema, reason: z.string(), sure: z.number().default(0.5) }),
  /** How such a file is usually read, and what it is read as when nothing else was decided. */
  usual: pictureChoiceSchema,
  /** Smallest and largest value over the looked-at frames, by channel; null before pixels were measured. */
  ranges: z.array(z.object({ name: z.string(), min: z.number().nullable(), max: z.number().nullable(), rest: z.number() })).nullable(),
});
export type Pass = z.infer<typeof passSchema>;

/** What a finding's button does: a change of the shot's settings, by name so that undo can say it. */
export const fixSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('shiftFrames'), sequenceId: sequenceIdSchema, offset: z.number().int() }),
  z.strictObject({ kind: z.literal('setReading'), passId: passIdSchema, reading: pictureChoiceSchema }),
  z.strictObject({ kind: z.literal('setRate'), fps: z.number().positive() }),
  z.strictObject({ kind: z.literal('setRole'), passId: passIdSchema, role: roleSchema }),
  /** Takes the edge in of every element that is made of this picture. */
  z.strictObject({ kind: z.literal('trimEdge'), passId: passIdSchema, trimPx: z.number().min(0).max(20) }),
  /** Takes a depth or id pass out of every element. */
  z.strictObject({ kind: z.literal('doWithout'), passId: passIdSchema }),
]);
export type Fix = z.infer<typeof fixSchema>;

/** A sentence: what is wrong and where, what it will look like, and what to do about it. */
export const findingSchema = z.object({
  severity: z.enum(['info', 'warning', 'error']),
  message: z.string(),
  effect: z.string().nullable(),
  frame: z.number().int().nullable(),
  sequenceId: sequenceIdSchema.nullable(),
  passId: passIdSchema.nullable(),
  fixes: z.array(z.object({ label: z.string(), fix: fixSchema })),
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
  /** What has become of the newest delivery; null before the first. */
  delivery: deliveryStateSchema.nullable(),
  thumbnailPass: passIdSchema.nullable(),
  /** A frame that stands for the shot: one that is there. */
  posterFrame: z.number().int(),
});
export type ShotSummary = z.infer<typeof shotSummarySchema>;

export const shotDetailSchema = z.object({
  shot: shotSummarySchema,
  passes: z.array(passSchema),
  findings: z.array(findingSchema),
  settings: shotSettingsSchema,
  /** Changes whenever the folder was found changed. */
  look: z.string(),
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

/** How a picture pass is read. */
export function readingOf(settings: Pick<ShotSettings, 'readings'>, pass: Pick<Pass, 'id' | 'usual'>): PictureChoice {
  return settings.readings[pass.id] ?? pass.usual;
}

export const lutSchema = z.object({ id: lutIdSchema, name: z.string(), kind: z.enum(['curves', 'cube']), size: z.number().int() });
export type Lut = z.infer<typeof lutSchema>;
export const newLutSchema = z.strictObject({ name: z.string().trim().min(1).max(200), text: z.string().max(64 * 2 ** 20) });

export const newUploadSchema = z.strictObject({ name: z.string().trim().min(1).max(200) });
export const uploadSchema = z.object({
  id: uploadIdSchema,
  name: z.string(),
  /** Files that are whole on the server, by their path inside the folder. */
  files: z.array(z.object({ path: z.string(), bytes: z.number() })),
});
export type Upload = z.infer<typeof uploadSchema>;

/** One folder of the server, for choosing. */
export const folderListingSchema = z.object({
  folder: z.string(),
  parent: z.string().nullable(),
  /** The shot that this very folder already is. */
  shotId: shotIdSchema.nullable(),
  folders: z.array(z.object({ name: z.string(), folder: z.string(), shotId: shotIdSchema.nullable() })),
  sequences: z.array(z.object({ name: z.string(), frames: z.number().int(), missing: z.number().int() })),
});
export type FolderListing = z.infer<typeof folderListingSchema>;

/** Object names of a Cryptomatte. */
export const manifestSchema = z.object({ objects: z.array(z.object({ name: z.string(), id: z.number() })) });

/** What a pass counts as: what the artist said, else what it was taken for (passes may arrive after the last decision). */
export function roleOf(settings: Pick<ShotSettings, 'roles'>, pass: Pick<Pass, 'id'> & { readonly guess: { readonly role: Role } }): Role {
  return settings.roles[pass.id] ?? pass.guess.role;
}
