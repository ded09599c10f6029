import type { Finding, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function replaceFindings(db: Db, shotId: ShotId, findings: readonly Finding[]): Promise<void> {
  await db.query(
    `WITH gone AS (DELETE FROM findings WHERE shot_id = $1)
     INSERT INTO findings (shot_id, severity, message, effect, frame, sequence_id, pass_id, fixes)
     SELECT $1, f.severity, f.message, f.effect, f.frame, f."sequenceId", f."passId", f.fixes
     FROM jsonb_to_recordset($2::jsonb) AS f(severity text, message text, effect text, frame integer, "sequenceId" uuid, "passId" uuid, fixes jsonb)`,
    [shotId, JSON.stringify(findings)],
  );
}
