import type { DeliveryId, Priority } from '@ivrex/contract';
import type { Db } from '../database';

export async function setPriority(db: Db, id: DeliveryId, priority: Priority): Promise<void> {
  await db.query(`UPDATE deliveries SET options = jsonb_set(options, '{priority}', to_jsonb($2::text)) WHERE id = $1`, [id, priority]);
}
