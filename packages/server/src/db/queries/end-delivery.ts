import type { DeliveryId, WorkerId } from '@ivrex/contract';
import type { Db } from '../database';

/** The end of a delivery that this worker finishes. With an error it has failed. */
export async function endDelivery(
  db: Db,
  id: DeliveryId,
  worker: WorkerId,
  extras: readonly string[],
  error: string | null,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `UPDATE deliveries SET state = CASE WHEN $4::text IS NULL THEN 'done' ELSE 'failed' END, extras = $3, error = $4, finisher = NULL
     WHERE id = $1 AND state = 'finishing' AND finisher = $2`,
    [id, worker, JSON.stringify(extras), error],
  );
  return rowCount === 1;
}
