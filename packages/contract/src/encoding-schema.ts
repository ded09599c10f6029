import type { Encoding } from '@ivrex/core';
import { z } from 'zod';

/** The encoding document (docs/formats.md, "The encoding document"): missing optional fields take the plain reading. */
const finite = z.number().refine(Number.isFinite, 'must be a finite number');
const vectorSetSchema = z.strictObject({
  x: z.string().min(1),
  y: z.string().min(1),
  length: z.string().min(1).nullable().default(null),
  z: z.string().min(1).nullable().optional(),
  covers: z
    .strictObject({ from: finite, to: finite, unit: z.enum(['frames', 'seconds']) })
    .refine((c) => c.from !== c.to, 'from and to must differ'),
});

export const encodingSchema = z
  .strictObject({
    ivrexEncoding: z.literal(1),
    name: z.string().max(200).default(''),
    note: z.string().max(4000).default(''),
    space: z.enum(['screen', 'camera', 'world']).default('screen'),
    transfer: z
      .discriminatedUnion('kind', [
        z.strictObject({ kind: z.literal('none') }),
        z.strictObject({ kind: z.literal('power'), exponent: finite.positive() }),
        z.strictObject({ kind: z.literal('srgb') }),
      ])
      .default({ kind: 'none' }),
    premultiplied: z.boolean().default(false),
    alpha: z.string().min(1).nullable().default(null),
    sets: z.array(vectorSetSchema).min(1).max(2).readonly(),
    zero: finite,
    fullScale: z.strictObject({
      stored: finite,
      equals: finite.refine((v) => v !== 0, 'must not be 0'),
      unit: z.enum(['px', 'frameWidth', 'frameSize', 'halfFrame']),
    }),
    axes: z
      .strictObject({ x: z.enum(['right', 'left']), y: z.enum(['down', 'up']), z: z.enum(['away', 'towards']).optional() })
      .default({ x: 'right', y: 'down' }),
    pixelAspect: finite.positive().default(1),
    noData: finite.nullable().default(null),
  })
  .refine((e) => e.fullScale.stored !== e.zero, {
    message: 'fullScale.stored and zero must differ',
    path: ['fullScale', 'stored'],
  }) satisfies z.ZodType<Encoding>;
