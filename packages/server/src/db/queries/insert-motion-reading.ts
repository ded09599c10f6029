import type { MotionReading, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function insertMotionReading(db: Db, shotId: ShotId, key: string, reading: MotionReading): Promise<void> {
  await db.query(
    'INSERT INTO motion_readings (shot_id, key, result) VALUES ($1, $2, $3) ON CONFLICT (shot_id, key) DO UPDATE SET result = excluded.result',
    [shotId, key, JSON.stringify(reading)],
  );
}
