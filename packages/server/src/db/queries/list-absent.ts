import { passIdSchema, type ShotId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  passId: passIdSchema,
  layer: z.string(),
  file: z.string(),
  /** Whether files of its sequence are there. */
  hasFiles: z.boolean(),
  /** Whether it was there at the look before the newest. */
  isNew: z.boolean(),
});
export type AbsentPass = z.infer<typeof rowSchema>;

/** Passes that the newest look at the folder did not find. */
export async function listAbsent(db: Db, shotId: ShotId): Promise<AbsentPass[]> {
  const { rows } = await db.query(
    `SELECT p.id AS "passId", p.layer, s.name AS file, s.looks_absent = 0 AS "hasFiles", p.looks_absent = 1 AS "isNew"
     FROM passes p JOIN sequences s ON s.id = p.sequence_id WHERE s.shot_id = $1 AND p.looks_absent > 0 ORDER BY s.name, p.part, p.layer`,
    [shotId],
  );
  return rows.map((row) => rowSchema.parse(row));
}
