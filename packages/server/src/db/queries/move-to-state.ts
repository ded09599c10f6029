import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** False when there is no state of this number. */
export async function moveToState(db: Db, shotId: ShotId, sequence: number): Promise<boolean> {
  const { rowCount } = await db.query(
    'UPDATE shots SET current_state = $2, changed_at = now() WHERE id = $1 AND EXISTS (SELECT FROM shot_states WHERE shot_id = $1 AND sequence = $2)',
    [shotId, sequence],
  );
  return rowCount === 1;
}
