import { workerSchema, type Worker } from '@ivrex/contract';
import type { Db } from '../database';
import { GONE_SECONDS } from './free-lost-frames';

/** Workers of the last hour, those that live first. */
export async function listWorkers(db: Db): Promise<Worker[]> {
  const { rows } = await db.query<{ startedAt: Date; seenAt: Date }>(
    `SELECT id, name, host, pid, threads, doing, frames_done AS "framesDone", started_at AS "startedAt", seen_at AS "seenAt",
       CASE WHEN seen_at < now() - make_interval(secs => ${GONE_SECONDS}) THEN 'gone' WHEN doing IS NULL THEN 'idle' ELSE 'working' END AS state
     FROM workers WHERE seen_at > now() - interval '1 hour' ORDER BY (seen_at < now() - make_interval(secs => ${GONE_SECONDS})), name, started_at`,
  );
  return rows.map((row) => workerSchema.parse({ ...row, startedAt: row.startedAt.toISOString(), seenAt: row.seenAt.toISOString() }));
}
