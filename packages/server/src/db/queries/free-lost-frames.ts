import type { Db } from '../database';

/** A worker that has not been heard of for so long is gone. */
export const GONE_SECONDS = 12;
/** A frame that has taken so many workers with it is given up. */
const MOST_ATTEMPTS = 3;

/** What workers that are gone had under way waits again. Returns how many frames that are. */
export async function freeLostFrames(db: Db): Promise<number> {
  const gone = `NOT EXISTS (SELECT FROM workers w WHERE w.id = $1 AND w.seen_at > now() - make_interval(secs => ${GONE_SECONDS}))`;
  const { rowCount } = await db.query(
    `UPDATE delivery_frames f SET worker = NULL, state = CASE WHEN f.attempt >= $1 THEN 'failed' ELSE 'waiting' END,
       error = CASE WHEN f.attempt >= $1 THEN 'the worker ended while it made this frame, each of ' || f.attempt || ' times; it may need more memory than there is' END
     WHERE f.state = 'running' AND ${gone.replace('$1', 'f.worker')}`,
    [MOST_ATTEMPTS],
  );
  await db.query(
    `UPDATE deliveries d SET finisher = NULL WHERE d.state = 'finishing' AND d.finisher IS NOT NULL AND ${gone.replace('$1', 'd.finisher')}`,
  );
  return rowCount ?? 0;
}
