import type { Finding, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function replaceFindings(db: Db, shotId: ShotId, findings: readonly Finding[]): Promise<void> {
  await db.query(
    `WITH gone AS (DELETE FROM findings WHERE shot_id = $1)
     INSERT INTO findings (shot_id, severity, message, frame, sequence_id)
     SELECT $1, f.severity, f.message, f.frame, f."sequenceId" FROM jsonb_to_recordset($2::jsonb) AS f(severity text, message text, frame integer, "sequenceId" uuid)`,
    [shotId, JSON.stringify(findings)],
  );
}
