import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

/** Failed frames wait again, as if they had not been tried. Files that are whole stay. */
export async function resetFrames(db: Db, id: DeliveryId): Promise<void> {
  await db.query(
    `UPDATE delivery_frames SET state = 'waiting', error = NULL, attempt = 0, retry_at = now() WHERE delivery_id = $1 AND state IN ('failed', 'waiting')`,
    [id],
  );
}
