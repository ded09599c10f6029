import type { DeliveryId, Priority } from '@ivrex/contract';
import type { Db } from '../database';

export interface DueFrames {
  readonly id: DeliveryId;
  readonly priority: Priority;
  readonly frames: readonly number[];
}

/** Frames that wait and may be taken now, by delivery, in the order of the orders. */
export async function listDueFrames(db: Db, id: DeliveryId | null): Promise<DueFrames[]> {
  const { rows } = await db.query<{ id: DeliveryId; priority: Priority; frames: number[] }>(
    `SELECT d.id, coalesce(d.options->>'priority', 'normal') AS priority, array_agg(f.frame ORDER BY f.frame) AS frames
     FROM deliveries d JOIN delivery_frames f ON f.delivery_id = d.id
     WHERE d.state = 'running' AND f.state = 'waiting' AND f.retry_at <= now() AND ($1::uuid IS NULL OR d.id = $1)
     GROUP BY d.id ORDER BY d.created_at`,
    [id],
  );
  return rows;
}
