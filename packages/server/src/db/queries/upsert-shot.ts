import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export interface ShotFacts {
  readonly name: string;
  readonly folder: string;
  readonly firstFrame: number;
  readonly lastFrame: number;
  readonly fps: number | null;
  readonly width: number;
  readonly height: number;
}

/** One shot a folder: facts of a known one are renewed, decisions stay. */
export async function upsertShot(db: Db, f: ShotFacts): Promise<ShotId> {
  const { rows } = await db.query<{ id: ShotId }>(
    `INSERT INTO shots (name, folder, first_frame, last_frame, fps, width, height) VALUES ($1, $2, $3, $4, $5, $6, $7)
     ON CONFLICT (folder) DO UPDATE SET first_frame = EXCLUDED.first_frame, last_frame = EXCLUDED.last_frame, fps = EXCLUDED.fps, width = EXCLUDED.width, height = EXCLUDED.height
     RETURNING id`,
    [f.name, f.folder, f.firstFrame, f.lastFrame, f.fps, f.width, f.height],
  );
  return rows[0].id;
}
