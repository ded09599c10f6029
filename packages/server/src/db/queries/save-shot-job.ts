import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';
import type { JobKind } from './list-shot-jobs';

export interface ShotJob {
  readonly shotId: ShotId;
  readonly kind: JobKind;
  readonly asked: unknown;
  readonly status: unknown;
  readonly written: readonly number[];
}

/** One job of a kind is known per shot: the last. */
export async function saveShotJob(db: Db, { shotId, kind, asked, status, written }: ShotJob): Promise<void> {
  await db.query(
    `INSERT INTO shot_jobs (shot_id, kind, asked, status, written) VALUES ($1, $2, $3, $4, $5)
     ON CONFLICT (shot_id, kind) DO UPDATE
     SET asked = excluded.asked, status = excluded.status, written = excluded.written, changed_at = now()`,
    [shotId, kind, JSON.stringify(asked), JSON.stringify(status), written],
  );
}
