import type { PassId } from '@ivrex/contract';
import type { FilePattern } from '@ivrex/media';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  part: z.number(),
  layer: z.string(),
  frames: z.array(z.number()),
  pattern: z.object({ folder: z.string(), before: z.string(), padding: z.number().nullable(), after: z.string() }),
});

/** Where the pass's files are; null when there is no such pass in this shot. */
export async function findPassFile(
  db: Db,
  passId: PassId,
): Promise<{ part: number; layer: string; frames: number[]; pattern: FilePattern } | null> {
  const { rows } = await db.query(
    'SELECT p.part, p.layer, s.frames, s.pattern FROM passes p JOIN sequences s ON s.id = p.sequence_id WHERE p.id = $1',
    [passId],
  );
  return rows.length === 0 ? null : rowSchema.parse(rows[0]);
}
