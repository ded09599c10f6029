import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

/** Which of these are no longer wanted. */
export async function listCancelled(db: Db, ids: readonly DeliveryId[]): Promise<DeliveryId[]> {
  const { rows } = await db.query<{ id: DeliveryId }>(
    `SELECT asked.id FROM unnest($1::uuid[]) AS asked(id) LEFT JOIN deliveries d ON d.id = asked.id WHERE d.id IS NULL OR d.state = 'cancelled'`,
    [ids],
  );
  return rows.map((row) => row.id);
}
