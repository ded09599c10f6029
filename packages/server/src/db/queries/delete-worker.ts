import type { WorkerId } from '@ivrex/contract';
import type { Db } from '../database';

/** A worker says goodbye: what it had under way is free at once. */
export async function deleteWorker(db: Db, id: WorkerId): Promise<void> {
  await db.query('DELETE FROM workers WHERE id = $1', [id]);
}
