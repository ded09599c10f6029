import { WRITABLE_COMPRESSIONS } from '@ivrex/core';
import { z } from 'zod';
import { encodingSchema } from './encoding-schema';
import type { NAME_TOKENS } from './name-pattern';
import { checkNamePattern, namePatternSchema } from './name-pattern';
import { deliveryIdSchema, elementIdSchema, type ElementId, shotIdSchema, workerIdSchema } from './ids';

/** One thing that is delivered of every frame. A null element is the main one. */
export const productSchema = z.discriminatedUnion('kind', [
  /** All elements put together. */
  z.strictObject({ kind: z.literal('assembled') }),
  /** One element on its own, blurred. */
  z.strictObject({ kind: z.literal('element'), element: elementIdSchema.nullable() }),
  /** The element's motion in another encoding. */
  z.strictObject({ kind: z.literal('motion'), element: elementIdSchema.nullable(), to: encodingSchema }),
  /** What the blurred element covers; with `objects` only those of its Cryptomatte that a matte of this name holds. */
  z.strictObject({ kind: z.literal('matte'), element: elementIdSchema.nullable(), objects: z.string().min(1).max(100).nullable() }),
  /** Where the element's blur is likely to be off. */
  z.strictObject({ kind: z.literal('trust'), element: elementIdSchema.nullable() }),
]);
export type Product = z.infer<typeof productSchema>;

/** Pictures are seen through a display transform where the form is for looking; data never are. */
export function isPicture(product: Product): boolean {
  return product.kind === 'assembled' || product.kind === 'element';
}

export const MOVIE_CODECS = ['h264', 'prores', 'mjpeg'] as const;
export type MovieCodec = (typeof MOVIE_CODECS)[number];

export const deliveryFormSchema = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('exr'),
    type: z.enum(['half', 'float']),
    compression: z.enum(WRITABLE_COMPRESSIONS),
    /** "trimmed": the data window holds what is not nothing. */
    window: z.enum(['full', 'trimmed']).default('full'),
    /** Everything in one file, a layer each; else a file each. */
    together: z.boolean().default(true),
  }),
  /** Whole numbers go through the shot's display transform, floats are scene-linear. */
  z.strictObject({ kind: z.literal('tiff'), depth: z.enum(['u8', 'u16', 'float']) }),
  z.strictObject({ kind: z.literal('png'), depth: z.enum(['u8', 'u16']) }),
  /** For review: through the shot's display transform. */
  z.strictObject({ kind: z.literal('movie'), codec: z.enum(MOVIE_CODECS), burnIn: z.boolean() }),
]);
export type DeliveryForm = z.infer<typeof deliveryFormSchema>;

/**
 * What becomes of files that are there: "changed" writes those anew whose inputs or settings changed, "keep" leaves every file as it is,
 * "replace" writes all anew, "versionUp" takes the first version of which nothing is there.
 */
export const EXISTING = ['changed', 'keep', 'replace', 'versionUp'] as const;
export const PRIORITIES = ['low', 'normal', 'high'] as const;
export type Priority = (typeof PRIORITIES)[number];

const optionsShape = z.strictObject({
  /** How the delivery is called, and {name} in its file names. */
  name: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9_.-]{0,79}$/, 'use letters, digits, dot, dash and underscore'),
  pattern: namePatternSchema.default('{shot}/{name}/{name}.{frame}'),
  version: z.number().int().min(1).max(9999).default(1),
  what: z
    .array(productSchema)
    .min(1, 'choose something to deliver')
    .max(40)
    .refine((all) => new Set(all.map(productName)).size === all.length, { message: 'the same thing is asked for twice' })
    .default([{ kind: 'element', element: null }]),
  form: deliveryFormSchema.prefault({ kind: 'exr', type: 'half', compression: 'zip' }),
  firstFrame: z.number().int(),
  lastFrame: z.number().int(),
  /** Every so manyth frame, counted from the first. */
  every: z.number().int().min(1).max(1000).default(1),
  /** More frames at either end, where the shot has them. */
  handles: z.number().int().min(0).max(1000).default(0),
  existing: z.enum(EXISTING).default('changed'),
  priority: z.enum(PRIORITIES).default('normal'),
  /** The shot report is written beside it. */
  report: z.boolean().default(false),
});

export const deliveryOptionsSchema = optionsShape.superRefine((o, context) => {
  const fault = (message: string, ...path: string[]) => context.addIssue({ code: 'custom', message, path });
  if (o.firstFrame > o.lastFrame) fault('the range ends before it starts', 'lastFrame');
  const isOne = o.form.kind === 'exr' ? o.form.together || o.what.length === 1 : o.what.length === 1;
  const trouble = checkNamePattern(o.pattern, {
    frame: o.form.kind !== 'movie',
    what: !isOne,
    version: o.existing === 'versionUp',
  });
  if (trouble !== null) fault(trouble, 'pattern');
  if (o.form.kind === 'movie' && !o.what.every(isPicture))
    fault('a movie is for looking: it shows pictures; deliver motion, mattes and trust maps as OpenEXR, TIFF or PNG', 'what');
  if ((o.form.kind === 'tiff' || o.form.kind === 'png') && o.what.some((p) => p.kind === 'trust'))
    fault('a trust map has layers of its own; deliver it as OpenEXR', 'what');
});
export type DeliveryOptions = z.infer<typeof deliveryOptionsSchema>;

/** How a product is called in file and layer names: letters, digits, dash and underscore. */
export function productName(product: Product): string {
  if (product.kind === 'assembled') return 'assembled';
  const element = product.element ?? 'main';
  switch (product.kind) {
    case 'element':
      return element;
    case 'motion':
      return `${element}_motion`;
    case 'matte':
      return `${element}_${(product.objects ?? '').replace(/[^A-Za-z0-9-]+/g, '-')}${product.objects === null ? '' : '_'}matte`;
    case 'trust':
      return `${element}_trust`;
  }
}

const EXTENSIONS: Record<MovieCodec, string> = { h264: 'mp4', prores: 'mov', mjpeg: 'mov' };

export function extensionOf(form: DeliveryForm): string {
  switch (form.kind) {
    case 'exr':
    case 'png':
      return form.kind;
    case 'tiff':
      return 'tif';
    case 'movie':
      return EXTENSIONS[form.codec];
  }
}

/** Files that one frame (or, of a movie, the range) is delivered as. */
export function filesOf({
  what,
  form,
}: Pick<DeliveryOptions, 'what' | 'form'>): { readonly name: string; readonly products: readonly Product[] }[] {
  if (form.kind === 'exr' && form.together) return [{ name: what.length === 1 ? productName(what[0]) : 'layers', products: what }];
  return what.map((product) => ({ name: productName(product), products: [product] }));
}

/** The element whose shutter, rate and frames these products have: the only one that is delivered, else null, the main one. */
export function loneElement(products: readonly Product[]): ElementId | null {
  const [product] = products;
  return products.length === 1 && product.kind !== 'assembled' ? product.element : null;
}

/** A file's path below the folder of deliveries. `frame` null leaves the number's place as "####". */
export function fileNameOf(
  options: Pick<DeliveryOptions, 'name' | 'pattern' | 'version' | 'form'>,
  shot: string,
  what: string,
  frame: number | null,
): string {
  const { name, pattern, version, form } = options;
  const number = frame === null ? '####' : `${frame < 0 ? '-' : ''}${String(Math.abs(frame)).padStart(4, '0')}`;
  const words: Record<(typeof NAME_TOKENS)[number], string> = {
    shot: shot.replace(/[^A-Za-z0-9_.-]+/g, '_'),
    name,
    what,
    version: String(version).padStart(3, '0'),
    frame: number,
  };
  const plain = form.kind === 'movie' ? pattern.replace(/[._-]?\{frame\}/g, '') : pattern;
  return `${plain.replace(/\{(\w+)\}/g, (_, token: keyof typeof words) => words[token])}.${extensionOf(form)}`;
}

/**
 * The path of files beside a delivery (checksums, document, report), before their own extensions. OpenEXR has the bare name; what is delivered
 * in another form under the same name, a movie beside its frames, does not write over it.
 */
export function besideName(options: Pick<DeliveryOptions, 'name' | 'pattern' | 'version' | 'form'>, shot: string): string {
  const folders = options.pattern.split('/').map((segment) => segment.replace(/[._-]?\{(frame|what)\}/g, '').replace(/^[._-]+/, ''));
  const last = folders.pop() ?? '';
  const pattern = [...folders.filter((f) => f !== ''), last === '' ? '{name}' : last].join('/');
  return fileNameOf({ ...options, pattern }, shot, '', null).replace(/\.exr$/, '');
}

/** Frames of the range that are there, with handles, every so manyth of them. */
export function framesToDeliver(
  { firstFrame, lastFrame, every, handles }: Pick<DeliveryOptions, 'firstFrame' | 'lastFrame' | 'every' | 'handles'>,
  there: readonly number[],
): number[] {
  return there.filter((f) => f >= firstFrame - handles && f <= lastFrame + handles && (f - firstFrame) % every === 0);
}

export const deliveryStateSchema = z.enum(['running', 'paused', 'finishing', 'done', 'failed', 'cancelled']);
export type DeliveryState = z.infer<typeof deliveryStateSchema>;
export const frameStateSchema = z.enum(['waiting', 'running', 'done', 'failed']);
export type FrameState = z.infer<typeof frameStateSchema>;

export const deliverySchema = z.object({
  id: deliveryIdSchema,
  shotId: shotIdSchema,
  shot: z.string(),
  state: deliveryStateSchema,
  /** Where its files are, and how they are called below it. */
  folder: z.string(),
  pattern: z.string(),
  options: deliveryOptionsSchema,
  shutter: z.string(),
  createdAt: z.string(),
  secondsLeft: z.number().nullable(),
  /** What went wrong after the frames were made. */
  error: z.string().nullable(),
  /** Files beside the frames: movies, checksums, report. */
  extras: z.array(z.string()),
  frames: z.array(
    z.object({
      frame: z.number().int(),
      state: frameStateSchema,
      milliseconds: z.number().nullable(),
      /** It was there already, made of the same. */
      kept: z.boolean(),
      /** Times that it was tried, this one included. */
      attempt: z.number().int(),
      error: z.string().nullable(),
      /** What was odd about it. */
      notes: z.array(z.string()),
    }),
  ),
});
export type Delivery = z.infer<typeof deliverySchema>;

/** What a delivery will be, before it is ordered. */
export const deliveryPlanSchema = z.object({
  frames: z.array(z.number().int()),
  /** Of these. */
  kept: z.number().int(),
  missing: z.array(z.number().int()),
  /** Of `frames`, those that something else is missing for; the others are made all the same. */
  failing: z.array(z.object({ frame: z.number().int(), message: z.string() })),
  /** The folder that deliveries go to; the first file's path below it; how many files there will be. */
  root: z.string(),
  example: z.string(),
  files: z.number().int(),
  version: z.number().int(),
  /** Of one worker; null before a frame like these was made. */
  seconds: z.number().nullable(),
  /** Measured says: from frames of this kind that were written; else the most that they can take. */
  bytes: z.number(),
  measured: z.boolean(),
  freeBytes: z.number().nullable(),
  /** Sentences; with any the delivery can't be ordered. */
  faults: z.array(z.string()),
});
export type DeliveryPlan = z.infer<typeof deliveryPlanSchema>;

export const workerSchema = z.object({
  id: workerIdSchema,
  name: z.string(),
  host: z.string(),
  pid: z.number().int(),
  threads: z.number().int(),
  /** "gone": not heard of for a while; its frames went to others. */
  state: z.enum(['idle', 'working', 'gone']),
  doing: z.string().nullable(),
  startedAt: z.string(),
  seenAt: z.string(),
  framesDone: z.number().int(),
});
export type Worker = z.infer<typeof workerSchema>;

export const queueSchema = z.object({ deliveries: z.array(deliverySchema), workers: z.array(workerSchema) });
export type Queue = z.infer<typeof queueSchema>;

export const apiErrorSchema = z.object({
  error: z.object({ code: z.string(), message: z.string(), file: z.string().optional(), requestId: z.string().optional() }),
});
