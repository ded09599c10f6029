import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

export async function cancelDelivery(db: Db, id: DeliveryId): Promise<boolean> {
  const { rowCount } = await db.query(`UPDATE deliveries SET state = 'cancelled' WHERE id = $1 AND state = 'running'`, [id]);
  return rowCount === 1;
}
