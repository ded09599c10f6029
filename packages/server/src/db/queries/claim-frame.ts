import type { DeliveryId, WorkerId } from '@ivrex/contract';
import type { Db } from '../database';

/** Takes a waiting frame of a delivery that is under way. Null when somebody else has it, it is done, or its time has not come; else which attempt this is. */
export async function claimFrame(db: Db, id: DeliveryId, frame: number, worker: WorkerId): Promise<number | null> {
  const { rows } = await db.query<{ attempt: number }>(
    `UPDATE delivery_frames f SET state = 'running', error = NULL, worker = $3, attempt = f.attempt + 1 FROM deliveries d
     WHERE d.id = f.delivery_id AND d.state = 'running' AND f.delivery_id = $1 AND f.frame = $2 AND f.state = 'waiting' AND f.retry_at <= now()
     RETURNING f.attempt`,
    [id, frame, worker],
  );
  return rows[0]?.attempt ?? null;
}
