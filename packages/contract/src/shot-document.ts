import { z } from 'zod';
import { deliveryOptionsSchema } from './delivery';
import { lutIdSchema, passIdSchema, sequenceIdSchema } from './ids';
import { pictureChoiceSchema, roleSchema, shotSettingsSchema } from './settings';

const MOST_FRAMES = 1_000_000;

/** "1001-1012, 1014, -5--2": ascending numbers as runs. */
export function frameRuns(frames: readonly number[]): string {
  const runs: string[] = [];
  for (let i = 0; i < frames.length;) {
    let end = i;
    while (end + 1 < frames.length && frames[end + 1] === frames[end] + 1) end++;
    runs.push(end === i ? String(frames[i]) : `${frames[i]}-${frames[end]}`);
    i = end + 1;
  }
  return runs.join(', ');
}

/** The numbers again; null when the text is not runs in ascending order, or more than a million frames. */
export function tryParseFrameRuns(text: string): number[] | null {
  const out: number[] = [];
  if (text.trim() === '') return out;
  for (const run of text.split(',')) {
    const found = /^\s*(-?\d{1,9})(?:-(-?\d{1,9}))?\s*$/.exec(run);
    if (found === null) return null;
    const first = Number(found[1]),
      last = Number(found[2] ?? found[1]);
    if (first > last || last - first >= MOST_FRAMES - out.length || (out.length > 0 && first <= out[out.length - 1])) return null;
    for (let f = first; f <= last; f++) out.push(f);
  }
  return out;
}

const frameRunsSchema = z
  .string()
  .max(1_000_000)
  .transform((text, context): number[] => {
    const frames = tryParseFrameRuns(text);
    if (frames !== null) return frames;
    context.addIssue('must be frames such as "1001-1024, 1030", ascending');
    return z.NEVER;
  });

/** A sequence's files. `folder` may be relative to the document's own folder. */
export const documentSequenceSchema = z.strictObject({
  id: sequenceIdSchema,
  /** As the shot calls it: its path below the shot's folder. */
  name: z.string().min(1).max(1000),
  folder: z.string().min(1).max(4000),
  before: z.string().max(1000),
  padding: z.number().int().min(1).max(12).nullable(),
  after: z.string().max(1000),
  /** Digits of frames that are padded otherwise, by frame. */
  odd: z.record(z.string(), z.string()).optional(),
  movieFrames: z.number().int().optional(),
  frames: frameRunsSchema,
});

export const documentPassSchema = z.strictObject({
  id: passIdSchema,
  sequence: sequenceIdSchema,
  name: z.string(),
  part: z.number().int().min(0),
  layer: z.string(),
  role: roleSchema,
  usual: pictureChoiceSchema,
  pixelAspect: z.number().positive(),
  fps: z.number().nullable(),
});

/** A whole shot in one file: where its passes are, all that was decided, and what is to be delivered. */
export const shotDocumentSchema = z.strictObject({
  ivrexShot: z.literal(1),
  name: z.string().min(1).max(200),
  width: z.number().int().positive(),
  height: z.number().int().positive(),
  firstFrame: z.number().int(),
  lastFrame: z.number().int(),
  sequences: z.array(documentSequenceSchema).max(5000),
  passes: z.array(documentPassSchema).max(20000),
  settings: shotSettingsSchema,
  /** Tables that the shot is shown through, as .cube text. */
  tables: z.record(lutIdSchema, z.strictObject({ name: z.string(), text: z.string() })).default({}),
  deliver: deliveryOptionsSchema.nullable().default(null),
});
export type ShotDocument = z.infer<typeof shotDocumentSchema>;
export type DocumentPass = z.infer<typeof documentPassSchema>;
/** As it is written. */
export type ShotDocumentText = z.input<typeof shotDocumentSchema>;

/** The document as JSON that the schema reads again. */
export function writtenDocument(document: ShotDocument): ShotDocumentText {
  return { ...document, sequences: document.sequences.map((s) => ({ ...s, frames: frameRuns(s.frames) })) };
}
