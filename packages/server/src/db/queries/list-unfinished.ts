import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

/** Deliveries whose frames are all made and that nobody finishes yet. */
export async function listUnfinished(db: Db): Promise<DeliveryId[]> {
  const { rows } = await db.query<{ id: DeliveryId }>(
    `SELECT id FROM deliveries WHERE state = 'finishing' AND finisher IS NULL ORDER BY created_at`,
  );
  return rows.map((row) => row.id);
}
