import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

/** Done or failed once no frame waits or runs. */
export async function settleDelivery(db: Db, id: DeliveryId): Promise<void> {
  await db.query(
    `UPDATE deliveries d SET state = CASE WHEN EXISTS (SELECT FROM delivery_frames f WHERE f.delivery_id = d.id AND f.state = 'failed') THEN 'failed' ELSE 'done' END
     WHERE d.id = $1 AND d.state = 'running' AND NOT EXISTS (SELECT FROM delivery_frames f WHERE f.delivery_id = d.id AND f.state IN ('waiting', 'running'))`,
    [id],
  );
}
