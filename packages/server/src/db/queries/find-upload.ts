import type { UploadId } from '@ivrex/contract';
import type { Db } from '../database';

export async function findUpload(db: Db, id: UploadId): Promise<{ id: UploadId; name: string } | null> {
  const { rows } = await db.query<{ id: UploadId; name: string }>('SELECT id, name FROM uploads WHERE id = $1', [id]);
  return rows[0] ?? null;
}
