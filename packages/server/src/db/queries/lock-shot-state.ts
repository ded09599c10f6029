import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** The current state's number; others that want to change the shot wait. Null when there is no such shot. */
export async function lockShotState(db: Db, shotId: ShotId): Promise<number | null> {
  const { rows } = await db.query<{ current_state: number }>('SELECT current_state FROM shots WHERE id = $1 FOR UPDATE', [shotId]);
  return rows[0]?.current_state ?? null;
}
