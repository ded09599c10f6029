import type { DeliveryId, WorkerId } from '@ivrex/contract';
import type { Db } from '../database';

/** What the database takes this worker to have, and it has not (the database was away when it was done): it waits again. */
export async function freeOwnFrames(
  db: Db,
  worker: WorkerId,
  held: { readonly frames: readonly { readonly id: DeliveryId; readonly frame: number }[]; readonly finishing: readonly DeliveryId[] },
): Promise<void> {
  await db.query(
    `UPDATE delivery_frames f SET state = 'waiting', worker = NULL, attempt = attempt - 1
     WHERE f.worker = $1 AND f.state = 'running' AND NOT EXISTS (SELECT FROM jsonb_to_recordset($2::jsonb) AS h(id uuid, frame int) WHERE h.id = f.delivery_id AND h.frame = f.frame)`,
    [worker, JSON.stringify(held.frames)],
  );
  await db.query(`UPDATE deliveries SET finisher = NULL WHERE finisher = $1 AND state = 'finishing' AND NOT id = ANY ($2::uuid[])`, [
    worker,
    held.finishing,
  ]);
}
