import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

/** Takes a waiting frame of a delivery that is still wanted; false when somebody else has it or it is done. */
export async function claimFrame(db: Db, id: DeliveryId, frame: number): Promise<boolean> {
  const { rowCount } = await db.query(
    `UPDATE delivery_frames f SET state = 'running', error = NULL FROM deliveries d
     WHERE d.id = f.delivery_id AND d.state = 'running' AND f.delivery_id = $1 AND f.frame = $2 AND f.state = 'waiting'`,
    [id, frame],
  );
  return rowCount === 1;
}
