import { z } from 'zod';
import { depthEncodingSchema } from './depth-encoding-schema';
import { encodingSchema } from './encoding-schema';
import { cameraTrackIdSchema, passIdSchema, shotIdSchema } from './ids';

const depthKindSchema = z.enum(['alongView', 'fromEye']);

/** Where motion is made from, by the shot's passes. */
export const madeSourceSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('camera'),
    /** The headers of a pass's files, or a track that was given. */
    camera: z.discriminatedUnion('from', [
      z.strictObject({ from: z.literal('headers'), pass: passIdSchema }),
      z.strictObject({ from: z.literal('track'), track: cameraTrackIdSchema }),
    ]),
    surface: z.discriminatedUnion('kind', [
      z.strictObject({
        kind: z.literal('depth'),
        pass: passIdSchema,
        measured: z.union([depthKindSchema, z.literal('auto')]),
        /** Null: as the element's, or as it is measured. */
        encoding: depthEncodingSchema.nullable().default(null),
      }),
      z.strictObject({ kind: z.literal('position'), pass: passIdSchema }),
      /** Scene units before the camera of `frame`. */
      z.strictObject({ kind: z.literal('card'), distance: z.number().positive(), frame: z.number().int() }),
    ]),
    velocity: z.strictObject({ pass: passIdSchema, encoding: encodingSchema }).nullable().default(null),
  }),
  z.strictObject({ kind: z.literal('pictures') }),
  /** The motion of another shot's render, as that shot reads it; its frame is this shot's plus `offset`. */
  z.strictObject({ kind: z.literal('render'), shot: shotIdSchema, offset: z.number().int() }),
]);
export type MadeSource = z.infer<typeof madeSourceSchema>;

export const makeMotionOrderSchema = z.strictObject({ source: madeSourceSchema });
export const tryMotionSchema = z.strictObject({ source: madeSourceSchema, frame: z.number().int() });

/** What one frame's made motion is worth. */
export const motionTrialSchema = z.object({
  frame: z.number().int(),
  proof: z.object({ before: z.number(), after: z.number(), points: z.number() }).nullable(),
  peakPx: z.number(),
  reached: z.number(),
  trusted: z.number().nullable(),
  depthKind: depthKindSchema.nullable(),
  offByPx: z.number().nullable(),
  warnings: z.array(z.string()),
});
export type MotionTrial = z.infer<typeof motionTrialSchema>;

export const findOffsetSchema = z.strictObject({ shot: shotIdSchema });

/** By which number another render's frames differ from this shot's, as the pictures tell. */
export const foundOffsetSchema = z.object({
  /** The frame that was looked at. */
  frame: z.number().int(),
  offset: z.number().int(),
  /** The others leave clearly more. */
  isClear: z.boolean(),
  /** What is left of the picture's difference under each offset, best first. */
  tried: z.array(z.object({ offset: z.number().int(), after: z.number() })),
});
export type FoundOffset = z.infer<typeof foundOffsetSchema>;

/** Folders of made passes: what they are made from, and of which element unless it is the main one. */
export const madeNameSchema = z.string().regex(/^(motion_from_camera|motion_from_pictures|motion_borrowed)(_[a-z0-9-]{1,40})?$/);
export type MadeName = z.infer<typeof madeNameSchema>;

export const makingMotionSchema = z.object({
  state: z.enum(['running', 'done', 'failed', 'cancelled']),
  source: madeSourceSchema,
  done: z.number().int(),
  total: z.number().int(),
  secondsLeft: z.number().nullable(),
  failed: z.array(z.object({ frame: z.number().int(), message: z.string() })),
  warnings: z.array(z.string()),
});
export type MakingMotion = z.infer<typeof makingMotionSchema>;

export const cameraTrackSchema = z.object({
  id: cameraTrackIdSchema,
  name: z.string(),
  firstFrame: z.number(),
  lastFrame: z.number(),
});
export type CameraTrackRow = z.infer<typeof cameraTrackSchema>;

/** A camera file as it was chosen: its bytes in base64, as it may be binary. */
export const newCameraTrackSchema = z.strictObject({
  name: z.string().trim().min(1).max(200),
  base64: z.base64().max(40 * 2 ** 20),
});
