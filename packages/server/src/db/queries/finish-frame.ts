import type { DeliveryId, FrameState } from '@ivrex/contract';
import type { Db } from '../database';

export async function finishFrame(
  db: Db,
  id: DeliveryId,
  frame: number,
  state: FrameState,
  milliseconds: number | null,
  error: string | null,
): Promise<void> {
  await db.query('UPDATE delivery_frames SET state = $3, milliseconds = $4, error = $5 WHERE delivery_id = $1 AND frame = $2', [
    id,
    frame,
    state,
    milliseconds,
    error,
  ]);
}
