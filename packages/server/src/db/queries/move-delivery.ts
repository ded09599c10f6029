import type { DeliveryId, DeliveryState } from '@ivrex/contract';
import type { Db } from '../database';

/** From one of these states to another; false when it was in none of them. @throws the database's unique violation when its files are being written */
export async function moveDelivery(db: Db, id: DeliveryId, from: readonly DeliveryState[], to: DeliveryState): Promise<boolean> {
  const { rowCount } = await db.query(
    'UPDATE deliveries SET state = $3, error = NULL, finisher = NULL WHERE id = $1 AND state = ANY ($2)',
    [id, from, to],
  );
  return rowCount === 1;
}
