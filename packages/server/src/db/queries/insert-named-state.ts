import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** Keeps the current settings under a name. False when the name is taken. */
export async function insertNamedState(db: Db, shotId: ShotId, name: string): Promise<boolean> {
  const { rowCount } = await db.query(
    `INSERT INTO named_states (shot_id, name, settings)
     SELECT s.id, $2, t.settings FROM shots s JOIN shot_states t ON t.shot_id = s.id AND t.sequence = s.current_state WHERE s.id = $1
     ON CONFLICT (shot_id, name) DO NOTHING`,
    [shotId, name],
  );
  return rowCount === 1;
}
