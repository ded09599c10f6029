import type { NamedStateId, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function deleteNamedState(db: Db, shotId: ShotId, id: NamedStateId): Promise<void> {
  await db.query('DELETE FROM named_states WHERE shot_id = $1 AND id = $2', [shotId, id]);
}
