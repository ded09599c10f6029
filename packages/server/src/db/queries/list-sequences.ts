import { sequenceIdSchema, type ShotId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const brokenSchema = z.array(
  z.object({ frame: z.number().int().nullable(), error: z.object({ code: z.string(), message: z.string(), file: z.string().optional() }) }),
);
const rowSchema = z.object({
  id: sequenceIdSchema,
  name: z.string(),
  /** As the files are numbered. */
  frames: z.array(z.number().int()),
  missing: z.array(z.number().int()),
  fps: z.number().nullable(),
  format: z.string(),
  broken: brokenSchema,
  different: z.array(z.number().int()),
  doubles: z.array(z.string()),
});
export type SequenceRow = z.infer<typeof rowSchema>;

export async function listSequenceRows(db: Db, shotId: ShotId): Promise<SequenceRow[]> {
  const { rows } = await db.query(
    'SELECT id, name, frames, missing, fps, format, broken, different, doubles FROM sequences WHERE shot_id = $1 AND looks_absent = 0 ORDER BY name',
    [shotId],
  );
  return rows.map((row) => rowSchema.parse(row));
}
