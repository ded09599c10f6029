import { matchReportSchema, type MatchReport, type ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** Null key: the newest. */
export async function findShutterMatch(db: Db, shotId: ShotId, key: string | null): Promise<MatchReport | null> {
  const { rows } = await db.query<{ result: unknown }>(
    'SELECT result FROM shutter_matches WHERE shot_id = $1 AND ($2::text IS NULL OR key = $2) ORDER BY created_at DESC LIMIT 1',
    [shotId, key],
  );
  return rows.length === 0 ? null : matchReportSchema.parse(rows[0].result);
}
