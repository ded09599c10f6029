import type { DeliveryId } from '@ivrex/contract';
import type { Db } from '../database';

/** Frames in these states wait again; the delivery runs. Files that are whole stay. Returns the frames. */
export async function resetFrames(db: Db, id: DeliveryId, states: readonly string[]): Promise<number[]> {
  await db.query(`UPDATE delivery_frames SET state = 'waiting', error = NULL WHERE delivery_id = $1 AND state = ANY ($2)`, [id, states]);
  await db.query(`UPDATE deliveries SET state = 'running' WHERE id = $1`, [id]);
  const { rows } = await db.query<{ frame: number }>(
    `SELECT frame FROM delivery_frames WHERE delivery_id = $1 AND state = 'waiting' ORDER BY frame`,
    [id],
  );
  return rows.map((row) => row.frame);
}
