import { motionReadingSchema, type MotionReading, type ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function findMotionReading(db: Db, shotId: ShotId, key: string): Promise<MotionReading | null> {
  const { rows } = await db.query<{ result: unknown }>('SELECT result FROM motion_readings WHERE shot_id = $1 AND key = $2', [shotId, key]);
  return rows.length === 0 ? null : motionReadingSchema.parse(rows[0].result);
}
