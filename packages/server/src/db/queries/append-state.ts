import type { ShotId, ShotSettings } from '@ivrex/contract';
import type { Db } from '../database';

/** A new state after `after`; what could be redone is given up. */
export async function appendState(db: Db, shotId: ShotId, after: number, label: string, settings: ShotSettings): Promise<void> {
  await db.query('DELETE FROM shot_states WHERE shot_id = $1 AND sequence > $2', [shotId, after]);
  await db.query('INSERT INTO shot_states (shot_id, sequence, label, settings) VALUES ($1, $2, $3, $4)', [
    shotId,
    after + 1,
    label,
    JSON.stringify(settings),
  ]);
}
