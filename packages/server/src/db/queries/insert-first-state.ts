import type { ShotId, ShotSettings } from '@ivrex/contract';
import type { Db } from '../database';

/** The state that a new shot starts in; a known shot keeps its own. True when it was new. */
export async function insertFirstState(db: Db, shotId: ShotId, settings: ShotSettings): Promise<boolean> {
  const { rowCount } = await db.query(
    `INSERT INTO shot_states (shot_id, sequence, label, settings) VALUES ($1, 1, 'Brought in', $2) ON CONFLICT DO NOTHING`,
    [shotId, JSON.stringify(settings)],
  );
  return rowCount === 1;
}
