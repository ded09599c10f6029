import { z } from 'zod';
import { deliveryIdSchema, elementIdSchema, shotIdSchema } from './ids';

/** The assembled picture, or one element blurred on its own; null is the main one. */
export const deliveryContentSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('assembled') }),
  z.strictObject({ kind: z.literal('element'), element: elementIdSchema.nullable() }),
]);

export const deliveryOptionsSchema = z
  .strictObject({
    /** Part of file and folder names. */
    name: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9_.-]{0,79}$/, 'use letters, digits, dot, dash and underscore'),
    what: deliveryContentSchema.default({ kind: 'element', element: null }),
    firstFrame: z.number().int(),
    lastFrame: z.number().int(),
    type: z.enum(['half', 'float']),
    compression: z.enum(['none', 'rle', 'zips', 'zip', 'piz', 'pxr24', 'dwaa', 'dwab']),
  })
  .refine((o) => o.firstFrame <= o.lastFrame, { message: 'the range ends before it starts', path: ['lastFrame'] });
export type DeliveryOptions = z.infer<typeof deliveryOptionsSchema>;

export const deliveryStateSchema = z.enum(['running', 'done', 'failed', 'cancelled']);
export type DeliveryState = z.infer<typeof deliveryStateSchema>;
export const frameStateSchema = z.enum(['waiting', 'running', 'done', 'failed']);
export type FrameState = z.infer<typeof frameStateSchema>;

export const deliverySchema = z.object({
  id: deliveryIdSchema,
  shotId: shotIdSchema,
  state: deliveryStateSchema,
  folder: z.string(),
  pattern: z.string(),
  options: deliveryOptionsSchema,
  shutter: z.string(),
  createdAt: z.string(),
  secondsLeft: z.number().nullable(),
  frames: z.array(
    z.object({ frame: z.number().int(), state: frameStateSchema, milliseconds: z.number().nullable(), error: z.string().nullable() }),
  ),
});
export type Delivery = z.infer<typeof deliverySchema>;

export const apiErrorSchema = z.object({
  error: z.object({ code: z.string(), message: z.string(), file: z.string().optional(), requestId: z.string().optional() }),
});
