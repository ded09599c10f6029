import { cameraTrackSchema, type CameraTrackRow, type ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** The newest first. */
export async function listCameraTracks(db: Db, shotId: ShotId): Promise<CameraTrackRow[]> {
  const { rows } = await db.query(
    `SELECT id, name,
       (SELECT min((f->>'frame')::float8) FROM jsonb_array_elements(frames) f) AS "firstFrame",
       (SELECT max((f->>'frame')::float8) FROM jsonb_array_elements(frames) f) AS "lastFrame"
     FROM camera_tracks WHERE shot_id = $1 ORDER BY created_at DESC`,
    [shotId],
  );
  return rows.map((row) => cameraTrackSchema.parse(row));
}
