import { findingSchema, type Finding, type ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function listFindings(db: Db, shotId: ShotId): Promise<Finding[]> {
  const { rows } = await db.query(
    `SELECT severity, message, effect, frame, sequence_id AS "sequenceId", pass_id AS "passId", fixes FROM findings WHERE shot_id = $1
     ORDER BY array_position(ARRAY['error', 'warning', 'info'], severity), id`,
    [shotId],
  );
  return rows.map((row) => findingSchema.parse(row));
}
