import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** Number and label of the states around the current one. */
export async function listStateLabels(db: Db, shotId: ShotId): Promise<{ sequence: number; label: string; current: boolean }[]> {
  const { rows } = await db.query<{ sequence: number; label: string; current: boolean }>(
    `SELECT t.sequence, t.label, t.sequence = s.current_state AS current FROM shot_states t JOIN shots s ON s.id = t.shot_id
     WHERE s.id = $1 AND t.sequence BETWEEN s.current_state - 1 AND s.current_state + 1 ORDER BY t.sequence`,
    [shotId],
  );
  return rows;
}
