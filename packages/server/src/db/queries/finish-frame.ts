import type { DeliveryId, FrameState, WorkerId } from '@ivrex/contract';
import type { Db } from '../database';

export interface FrameOutcome {
  readonly state: FrameState;
  readonly milliseconds?: number | null;
  readonly kept?: boolean;
  readonly bytes?: number | null;
  readonly error?: string | null;
  readonly notes?: readonly string[];
  /** Of one that waits again. */
  readonly retryInSeconds?: number;
  /** It does not count as tried. */
  readonly untried?: boolean;
}

/** Says what came of a frame that this worker has; false when it was given to another meanwhile. */
export async function finishFrame(db: Db, id: DeliveryId, frame: number, worker: WorkerId, outcome: FrameOutcome): Promise<boolean> {
  const { state, milliseconds = null, kept = false, bytes = null, error = null, notes = [], retryInSeconds = 0, untried = false } = outcome;
  const { rowCount } = await db.query(
    `UPDATE delivery_frames SET state = $4, milliseconds = $5, kept = $6, bytes = $7, error = $8, worker = NULL,
       retry_at = now() + make_interval(secs => $9), attempt = attempt - CASE WHEN $10 THEN 1 ELSE 0 END, notes = $11
     WHERE delivery_id = $1 AND frame = $2 AND worker = $3 AND state = 'running'`,
    [id, frame, worker, state, milliseconds, kept, bytes, error, retryInSeconds, untried, JSON.stringify(notes)],
  );
  return rowCount === 1;
}
