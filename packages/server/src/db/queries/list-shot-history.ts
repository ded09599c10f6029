import type { ShotId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({ sequence: z.number(), label: z.string(), created_at: z.date(), current: z.boolean() });

/** The newest first; those after the current one can be done again. */
export async function listShotHistory(
  db: Db,
  shotId: ShotId,
  most: number,
): Promise<{ sequence: number; label: string; at: string; current: boolean }[]> {
  const { rows } = await db.query(
    `SELECT t.sequence, t.label, t.created_at, t.sequence = s.current_state AS current FROM shot_states t JOIN shots s ON s.id = t.shot_id
     WHERE s.id = $1 ORDER BY t.sequence DESC LIMIT $2`,
    [shotId, most],
  );
  return rows.map((row) => {
    const { created_at, ...rest } = rowSchema.parse(row);
    return { ...rest, at: created_at.toISOString() };
  });
}
