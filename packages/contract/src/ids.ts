import { z } from 'zod';

/** Ids of different records do not mix: the brand makes the compiler say so. */
export const shotIdSchema = z.uuid().brand<'ShotId'>();
export const sequenceIdSchema = z.uuid().brand<'SequenceId'>();
export const passIdSchema = z.uuid().brand<'PassId'>();
export const encodingIdSchema = z.uuid().brand<'EncodingId'>();
export const lutIdSchema = z.uuid().brand<'LutId'>();
export const cameraTrackIdSchema = z.uuid().brand<'CameraTrackId'>();
export const uploadIdSchema = z.uuid().brand<'UploadId'>();
export const deliveryIdSchema = z.uuid().brand<'DeliveryId'>();
export const workerIdSchema = z.uuid().brand<'WorkerId'>();
export const personIdSchema = z.uuid().brand<'PersonId'>();
export const namedStateIdSchema = z.uuid().brand<'NamedStateId'>();
/** Elements live inside a shot's settings; "main" is the one that every shot starts with. */
export const elementIdSchema = z
  .string()
  .regex(/^[a-z0-9-]{1,40}$/)
  .brand<'ElementId'>();
export type ShotId = z.infer<typeof shotIdSchema>;
export type SequenceId = z.infer<typeof sequenceIdSchema>;
export type PassId = z.infer<typeof passIdSchema>;
export type EncodingId = z.infer<typeof encodingIdSchema>;
export type DeliveryId = z.infer<typeof deliveryIdSchema>;
export type PersonId = z.infer<typeof personIdSchema>;
export type WorkerId = z.infer<typeof workerIdSchema>;
export type LutId = z.infer<typeof lutIdSchema>;
export type UploadId = z.infer<typeof uploadIdSchema>;
export type CameraTrackId = z.infer<typeof cameraTrackIdSchema>;
export type NamedStateId = z.infer<typeof namedStateIdSchema>;
export type ElementId = z.infer<typeof elementIdSchema>;
