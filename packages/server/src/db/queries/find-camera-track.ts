import type { CameraTrackId, ShotId } from '@ivrex/contract';
import type { CameraTrack } from '@ivrex/core';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  name: z.string(),
  frames: z.array(
    z.object({
      frame: z.number(),
      toScreen: z.array(z.number()).length(12),
      alongView: z.array(z.number()).length(4),
      eye: z.tuple([z.number(), z.number(), z.number()]).nullable(),
    }),
  ),
});

export async function findCameraTrack(db: Db, shotId: ShotId, id: CameraTrackId): Promise<CameraTrack | null> {
  const { rows } = await db.query('SELECT name, frames FROM camera_tracks WHERE id = $1 AND shot_id = $2', [id, shotId]);
  if (rows.length === 0) return null;
  const { name, frames } = rowSchema.parse(rows[0]);
  return {
    name,
    frames: new Map(
      frames.map(({ frame, toScreen, alongView, eye }) => [
        frame,
        { toScreen: Float64Array.from(toScreen), alongView: Float64Array.from(alongView), eye },
      ]),
    ),
  };
}
