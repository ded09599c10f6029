import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export type JobKind = 'remap' | 'make';

/** As stored: documents are checked by those who know their form. */
export interface ShotJobRow {
  readonly shotId: ShotId;
  readonly asked: unknown;
  readonly status: unknown;
  readonly written: readonly number[];
}

/** Of one shot, or of all that were running when they were written down last. */
export async function listShotJobs(db: Db, kind: JobKind, of: { readonly shotId: ShotId } | 'running'): Promise<ShotJobRow[]> {
  const [condition, values] = of === 'running' ? [`status->>'state' = 'running'`, [kind]] : ['shot_id = $2', [kind, of.shotId]];
  const { rows } = await db.query<ShotJobRow>(
    `SELECT shot_id AS "shotId", asked, status, written FROM shot_jobs WHERE kind = $1 AND ${condition} ORDER BY changed_at`,
    values,
  );
  return rows;
}
