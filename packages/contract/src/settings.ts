import { DISPLAY_TRANSFORMS, INPUT_CURVES, PASS_ROLES } from '@ivrex/core';
import { z } from 'zod';
import { assemblySchema, elementMatteSchema, elementPlaceSchema } from './assembly';
import { depthEncodingSchema } from './depth-encoding-schema';
import { encodingSchema } from './encoding-schema';
import { elementIdSchema, lutIdSchema, passIdSchema } from './ids';
import { motionFactSchema, repairListSchema } from './motion';
import { MAX_STRENGTH, pathChoiceSchema, samplesSchema, shutterPlanSchema } from './shutter-schema';

export const ROLES = PASS_ROLES;
export const roleSchema = z.enum(ROLES);
export type Role = z.infer<typeof roleSchema>;

/** Roles whose values are data: they never get a display transform, at read or at write. */
const DATA_ROLES: ReadonlySet<Role> = new Set<Role>(['motion', 'depth', 'ids', 'matte', 'other']);
export function isDataRole(role: Role): boolean {
  return DATA_ROLES.has(role);
}

/** Passes that are blurred together, on their own. A null shutter is the shared one. */
export const elementSchema = z.strictObject({
  id: elementIdSchema.default(elementIdSchema.parse('main')),
  name: z.string().min(1).max(100),
  beauty: passIdSchema.nullable(),
  motion: passIdSchema.nullable(),
  depth: passIdSchema.nullable(),
  ids: passIdSchema.nullable(),
  /** The channel of the ids; null: found by its name, else by what varies. */
  idChannel: z.string().min(1).max(300).nullable().default(null),
  /** How depth is stored; null: as it is measured. */
  depthEncoding: depthEncodingSchema.nullable().default(null),
  /** Null: all that the pictures cover. */
  matte: elementMatteSchema.nullable().default(null),
  encoding: encodingSchema.nullable(),
  /**
   * The element that this is a light pass of (reflection, refraction, specular): it is taken out of that element's beauty, blurred with motion of its
   * own and added again. Null: an element in its own right.
   */
  lightOf: elementIdSchema.nullable().default(null),
  /** The element whose encoding and repairs these are: they change together. */
  readAs: elementIdSchema.nullable().default(null),
  shutter: shutterPlanSchema.nullable(),
  /** The strength is multiplied by this, whosever the shutter is. */
  factor: z.number().min(0).max(MAX_STRENGTH).default(1),
  place: elementPlaceSchema.prefault({}),
  /** What is mended whenever the motion is read, in any order. */
  repairs: repairListSchema.default([]),
  /** What the artist knows for certain about the motion, each of the frame that it was seen in. */
  facts: z
    .array(z.strictObject({ frame: z.number().int(), fact: motionFactSchema }))
    .max(50)
    .default([]),
});
export type Element = z.infer<typeof elementSchema>;

/** How a picture's alpha is read. `borrowed` takes it from another pass of the shot. */
export const alphaChoiceSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('premultiplied') }),
  z.strictObject({ kind: z.literal('straight') }),
  z.strictObject({ kind: z.literal('matted'), colour: z.tuple([z.number(), z.number(), z.number()]) }),
  z.strictObject({ kind: z.literal('none') }),
  z.strictObject({ kind: z.literal('borrowed'), pass: passIdSchema, premultiplied: z.boolean() }),
]);
export type AlphaChoice = z.infer<typeof alphaChoiceSchema>;

export const pictureChoiceSchema = z.strictObject({ curve: z.enum(INPUT_CURVES), alpha: alphaChoiceSchema });
export type PictureChoice = z.infer<typeof pictureChoiceSchema>;

/** A curve of our own, or a loaded table with the curve that it expects before it. */
export const displayChoiceSchema = z.union([
  z.enum(DISPLAY_TRANSFORMS),
  z.strictObject({ lut: lutIdSchema, input: z.enum(['linear', 'srgb']) }),
]);
export type DisplayChoice = z.infer<typeof displayChoiceSchema>;

/** Objects of a Cryptomatte, chosen in the picture. */
export const objectMatteSchema = z.strictObject({
  name: z.string().min(1).max(100),
  pass: passIdSchema,
  ids: z.array(z.number().int().min(0).max(0xffffffff)).max(10000),
});
export type ObjectMatte = z.infer<typeof objectMatteSchema>;

/** Everything that an artist decides about a shot: one document, every state of it kept for undo. */
export const shotSettingsSchema = z.strictObject({
  version: z.literal(1),
  roles: z.record(z.uuid(), roleSchema),
  /** The first one is the main one: its beauty decides the shot's size and numbering. Each id once. */
  elements: z
    .array(elementSchema)
    .min(1)
    .max(64)
    .refine((elements) => new Set(elements.map((e) => e.id)).size === elements.length, { message: 'two elements have the same id' }),
  shutter: shutterPlanSchema,
  path: pathChoiceSchema,
  samples: samplesSchema,
  /** Where what is hidden comes from: neighbouring frames and the clean background, or its surroundings alone. */
  hidden: z.enum(['auto', 'off']).default('auto'),
  /** Whether the neighbouring frames' blur is mixed in; "off": this frame's alone. */
  bothFrames: z.enum(['auto', 'off']).default('auto'),
  /** A picture pass without the things in front. */
  background: passIdSchema.nullable().default(null),
  displayTransform: displayChoiceSchema,
  /** Frames a second, when the files do not say or say different things. */
  fps: z.number().positive().max(1000).nullable().default(null),
  /** The roles were looked at and agreed to. */
  rolesAgreed: z.boolean().default(false),
  /** By sequence: the number in the file's name is the shot's frame plus this. */
  offsets: z.record(z.uuid(), z.number().int()).default({}),
  /** By pass: how its colours and alpha are read; without an entry as its kind of file usually is. */
  readings: z.record(z.uuid(), pictureChoiceSchema).default({}),
  mattes: z.array(objectMatteSchema).max(200).default([]),
  assembly: assemblySchema.prefault({}),
});
export type ShotSettings = z.infer<typeof shotSettingsSchema>;
