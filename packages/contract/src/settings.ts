import { DISPLAY_TRANSFORMS } from '@ivrex/core';
import { z } from 'zod';
import { encodingSchema } from './encoding-schema';
import { passIdSchema } from './ids';
import { pathChoiceSchema, samplesSchema, shutterSchema } from './shutter-schema';

export const ROLES = ['beauty', 'motion', 'depth', 'ids', 'matte', 'shadow', 'plate', 'reference', 'other'] as const;
export const roleSchema = z.enum(ROLES);
export type Role = z.infer<typeof roleSchema>;

/** Roles whose values are data: they never get a display transform, at read or at write. */
const DATA_ROLES: ReadonlySet<Role> = new Set<Role>(['motion', 'depth', 'ids', 'matte', 'other']);
export function isDataRole(role: Role): boolean {
  return DATA_ROLES.has(role);
}

/** Passes that are blurred together, on their own. A null shutter is the shared one. */
export const elementSchema = z.strictObject({
  name: z.string().min(1).max(100),
  beauty: passIdSchema.nullable(),
  motion: passIdSchema.nullable(),
  depth: passIdSchema.nullable(),
  ids: passIdSchema.nullable(),
  encoding: encodingSchema.nullable(),
  shutter: shutterSchema.nullable(),
});
export type Element = z.infer<typeof elementSchema>;

/** Everything that an artist decides about a shot: one document, every state of it kept for undo. */
export const shotSettingsSchema = z.strictObject({
  version: z.literal(1),
  roles: z.record(z.uuid(), roleSchema),
  elements: z.array(elementSchema).min(1).max(64),
  shutter: shutterSchema,
  path: pathChoiceSchema,
  samples: samplesSchema,
  displayTransform: z.enum(DISPLAY_TRANSFORMS),
});
export type ShotSettings = z.infer<typeof shotSettingsSchema>;
