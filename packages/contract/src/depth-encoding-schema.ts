import { DEPTH_CODES, type DepthEncoding } from '@ivrex/core';
import { z } from 'zod';

const finite = z.number().refine(Number.isFinite, 'must be a finite number');

/** How a depth pass is stored (docs/formats.md, "The depth encoding"): missing optional fields take the plain reading. */
export const depthEncodingSchema = z.strictObject({
  ivrexDepth: z.literal(1),
  name: z.string().max(200).default(''),
  note: z.string().max(4000).default(''),
  channel: z.string().min(1).max(300),
  law: z.enum(['linear', 'inverse']).default('linear'),
  zero: finite.default(0),
  scale: finite.refine((v) => v !== 0, 'must not be 0').default(1),
  measured: z.enum(['alongView', 'fromEye']).default('alongView'),
  nothing: z.array(finite).max(4).readonly().default([]),
  filtered: z.boolean().default(false),
  position: z
    .tuple([z.string().min(1).max(300), z.string().min(1).max(300), z.string().min(1).max(300)])
    .readonly()
    .nullable()
    .default(null),
}) satisfies z.ZodType<DepthEncoding>;

/** `channel`: the one to measure; without it the one that holds depth is found. */
export const depthQuerySchema = z.object({ channel: z.string().min(1).max(300).optional() });

/** What was measured of a depth pass. */
export const depthDetectionSchema = z.object({
  encoding: depthEncodingSchema,
  alternatives: z.array(z.object({ encoding: depthEncodingSchema, share: z.number() })),
  isDepth: z.boolean(),
  confidence: z.number().min(0).max(1),
  evidence: z.array(z.string()),
  issues: z.array(z.object({ code: z.enum(DEPTH_CODES), severity: z.enum(['info', 'warning']), message: z.string() })),
});
export type DepthAnswer = z.infer<typeof depthDetectionSchema>;
