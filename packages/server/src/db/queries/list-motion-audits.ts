import { frameAuditSchema, type ShotId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({ frame: z.number(), audit: frameAuditSchema.nullable(), error: z.string().nullable() });
export type MotionAuditRow = z.infer<typeof rowSchema>;

export async function listMotionAudits(db: Db, shotId: ShotId, key: string): Promise<MotionAuditRow[]> {
  const { rows } = await db.query('SELECT frame, audit, error FROM motion_audits WHERE shot_id = $1 AND key = $2 ORDER BY frame', [
    shotId,
    key,
  ]);
  return rows.map((row) => rowSchema.parse(row));
}
