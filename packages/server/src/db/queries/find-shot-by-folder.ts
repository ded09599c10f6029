import type { ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** The shot of a folder, with the folder as it was looked at last; null when there is none. */
export async function findShotByFolder(db: Db, folder: string): Promise<{ id: ShotId; signature: string } | null> {
  const { rows } = await db.query<{ id: ShotId; signature: string }>('SELECT id, signature FROM shots WHERE folder = $1', [folder]);
  return rows[0] ?? null;
}
