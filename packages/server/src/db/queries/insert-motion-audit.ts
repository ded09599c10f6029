import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';
import type { MotionAuditRow } from './list-motion-audits';

export async function insertMotionAudit(db: Db, shotId: ShotId, key: string, { frame, audit, error }: MotionAuditRow): Promise<void> {
  await db.query(
    `INSERT INTO motion_audits (shot_id, key, frame, audit, error) VALUES ($1, $2, $3, $4, $5)
     ON CONFLICT (shot_id, key, frame) DO UPDATE SET audit = excluded.audit, error = excluded.error`,
    [shotId, key, frame, audit === null ? null : JSON.stringify(audit), error],
  );
}
