import type { UploadId } from '@ivrex/contract';
import type { Db } from '../database';

export async function insertUpload(db: Db, name: string): Promise<UploadId> {
  const { rows } = await db.query<{ id: UploadId }>('INSERT INTO uploads (name) VALUES ($1) RETURNING id', [name]);
  return rows[0].id;
}
