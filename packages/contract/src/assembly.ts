import {
  BLENDS,
  NEUTRAL_GRADE,
  STRAIGHT_CURVE,
  UNTOUCHED_EDGE,
  type CurvePoints,
  type GrainModel,
  type Lens,
  type Vignette,
} from '@ivrex/core';
import { z } from 'zod';
import { elementIdSchema, passIdSchema } from './ids';

const unit = z.number().min(0).max(1);

export const curvePointsSchema = z
  .array(z.tuple([unit, unit]).readonly())
  .min(2)
  .max(32)
  .refine((points) => points.every(([x], i) => i === 0 || x > points[i - 1][0]), {
    message: 'points of a curve must be in order, one a place',
  })
  .readonly() satisfies z.ZodType<CurvePoints>;

const curve = curvePointsSchema.default(STRAIGHT_CURVE);

/** Values as core's `Grade` has them. What is left out is neutral. */
export const gradeSchema = z.strictObject({
  warmth: z.number().min(-6).max(6).default(0),
  tint: z.number().min(-6).max(6).default(0),
  exposure: z.number().min(-16).max(16).default(0),
  offset: z.number().min(-4).max(4).default(0),
  contrast: z.number().min(0.05).max(10).default(1),
  pivot: z.number().min(0.001).max(100).default(NEUTRAL_GRADE.pivot),
  gamma: z.number().min(0.05).max(10).default(1),
  curves: z.strictObject({ red: curve, green: curve, blue: curve, luma: curve }).prefault({}),
  saturation: z.number().min(0).max(10).default(1),
});

/** What of an element's pictures belongs to it. */
export const elementMatteSchema = z.discriminatedUnion('kind', [
  /** A pass that holds a matte: its alpha, else its only or first channel. */
  z.strictObject({ kind: z.literal('pass'), pass: passIdSchema, invert: z.boolean().default(false) }),
  /** Objects of a Cryptomatte by their ids, or of an ID matte by its values. */
  z.strictObject({
    kind: z.literal('objects'),
    pass: passIdSchema,
    ids: z.array(z.number().min(0).max(0xffffffff)).min(1).max(10000),
    invert: z.boolean().default(false),
  }),
]);
export type ElementMatte = z.infer<typeof elementMatteSchema>;

export const valueKeySchema = z.strictObject({ frame: z.number().int(), value: unit, way: z.enum(['hold', 'linear', 'smooth']) });

export const shadowChoiceSchema = z.strictObject({ reads: z.enum(['density', 'light']), way: z.enum(['multiply', 'holdOut']) });

/** How an element is put into the picture. */
export const elementPlaceSchema = z.strictObject({
  visible: z.boolean().default(true),
  blend: z.enum(BLENDS).default('over'),
  opacity: unit.default(1),
  /** In order of their frames; without any `opacity` holds. */
  opacityKeys: z
    .array(valueKeySchema)
    .max(2000)
    .refine((keys) => keys.every((key, i) => i === 0 || key.frame > keys[i - 1].frame), { message: 'keys must be in order, one a frame' })
    .readonly()
    .default([]),
  edge: z.strictObject({ trimPx: z.number().min(-20).max(20), softenPx: z.number().min(0).max(50) }).default(UNTOUCHED_EDGE),
  /** Null: no grade of its own. */
  grade: gradeSchema.nullable().default(null),
  gradeWhen: z.enum(['before', 'after']).default('before'),
  defocus: z.boolean().default(true),
  /** A shadow pass; null is a picture. */
  shadow: shadowChoiceSchema.nullable().default(null),
  /** Its pictures are the plate's own, such as what stands before the CG: they have the plate's grain and no blur to come. */
  fromPlate: z.boolean().default(false),
});
export type ElementPlace = z.infer<typeof elementPlaceSchema>;

export const apertureSchema = z.strictObject({
  blades: z.union([z.literal(0), z.number().int().min(5).max(9)]),
  turnDeg: z.number().min(-180).max(180),
});
export const lensSchema = z.strictObject({
  focus: z.number().positive(),
  farPx: z.number().min(0).max(200),
  nearPx: z.number().min(0).max(200),
  mostPx: z.number().min(0).max(100),
  aperture: apertureSchema,
}) satisfies z.ZodType<Lens>;

const light = z.number().min(0).max(10);
export const grainSchema = z.strictObject({
  floor: z.tuple([light, light, light]).readonly(),
  slope: z.tuple([light, light, light]).readonly(),
  sizePx: z.number().min(0).max(3),
}) satisfies z.ZodType<GrainModel>;

export const vignetteSchema = z.strictObject({
  amount: unit,
  radius: unit,
  softness: z.number().min(0.01).max(2),
}) satisfies z.ZodType<Vignette>;

/** How a shot's elements become one picture. */
export const assemblySchema = z.strictObject({
  /** The nearest first. Elements that are not in it come before it, in their own order. */
  order: z.array(elementIdSchema).max(64).default([]),
  /** What lies below all: the plate, the clean background, or nothing. A plate that is not chosen is the first pass of that role. */
  below: z.enum(['plate', 'background', 'nothing']).default('plate'),
  plate: passIdSchema.nullable().default(null),
  conform: z.enum(['asIs', 'time']).default('asIs'),
  fit: z.enum(['asIs', 'fit', 'fill', 'stretch']).default('fit'),
  lens: lensSchema.nullable().default(null),
  grade: gradeSchema.nullable().default(null),
  vignette: vignetteSchema.nullable().default(null),
  grain: grainSchema.nullable().default(null),
});
export type Assembly = z.infer<typeof assemblySchema>;
