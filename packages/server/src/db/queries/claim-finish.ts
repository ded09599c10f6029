import type { DeliveryId, WorkerId } from '@ivrex/contract';
import type { Db } from '../database';

/** Takes the last part of a delivery, after its frames. False when somebody else has it. */
export async function claimFinish(db: Db, id: DeliveryId, worker: WorkerId): Promise<boolean> {
  const { rowCount } = await db.query(`UPDATE deliveries SET finisher = $2 WHERE id = $1 AND state = 'finishing' AND finisher IS NULL`, [
    id,
    worker,
  ]);
  return rowCount === 1;
}
