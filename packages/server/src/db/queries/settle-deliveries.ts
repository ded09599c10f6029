import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

/** Deliveries without open frames: those with a failed one have failed, the others are to be finished. Null looks at all. */
export async function settleDeliveries(db: Db, id: DeliveryId | null): Promise<void> {
  await db.query(
    `UPDATE deliveries d SET state = CASE WHEN EXISTS (SELECT FROM delivery_frames f WHERE f.delivery_id = d.id AND f.state = 'failed') THEN 'failed' ELSE 'finishing' END
     WHERE ($1::uuid IS NULL OR d.id = $1) AND d.state = 'running'
       AND NOT EXISTS (SELECT FROM delivery_frames f WHERE f.delivery_id = d.id AND f.state IN ('waiting', 'running'))`,
    [id],
  );
}
