import type { CameraTrackId, ShotId } from '@ivrex/contract';
import type { CameraTrack } from '@ivrex/core';
import type { Db } from '../database';

export async function insertCameraTrack(db: Db, shotId: ShotId, { name, frames }: CameraTrack): Promise<CameraTrackId> {
  const stored = [...frames].map(([frame, { toScreen, alongView, eye }]) => ({
    frame,
    toScreen: [...toScreen],
    alongView: [...alongView],
    eye,
  }));
  const { rows } = await db.query<{ id: CameraTrackId }>(
    'INSERT INTO camera_tracks (shot_id, name, frames) VALUES ($1, $2, $3) RETURNING id',
    [shotId, name, JSON.stringify(stored)],
  );
  return rows[0].id;
}
