import type { MatchReport, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function insertShutterMatch(db: Db, shotId: ShotId, key: string, report: MatchReport): Promise<void> {
  await db.query(
    `INSERT INTO shutter_matches (shot_id, key, result) VALUES ($1, $2, $3)
     ON CONFLICT (shot_id, key) DO UPDATE SET result = excluded.result, created_at = now()`,
    [shotId, key, JSON.stringify(report)],
  );
}
