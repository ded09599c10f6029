import { sequenceIdSchema, type ShotId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';
import { patternSchema } from './find-pass-file';

const rowSchema = z.object({ id: sequenceIdSchema, name: z.string(), pattern: patternSchema, frames: z.array(z.number()) });

/** Where a shot's sequences are; frames as the files are numbered. */
export async function listSequencePlaces(db: Db, shotId: ShotId): Promise<z.infer<typeof rowSchema>[]> {
  const { rows } = await db.query('SELECT id, name, pattern, frames FROM sequences WHERE shot_id = $1 AND looks_absent = 0 ORDER BY name', [
    shotId,
  ]);
  return rows.map((row) => rowSchema.parse(row));
}
