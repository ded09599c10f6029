import type { MadeFile } from '@ivrex/media';
import type { Db } from '../database';

export async function saveMadeFile(db: Db, file: string, { key, sha256, bytes }: MadeFile): Promise<void> {
  await db.query(
    `INSERT INTO made_files (file, key, sha256, bytes) VALUES ($1, $2, $3, $4)
     ON CONFLICT (file) DO UPDATE SET key = excluded.key, sha256 = excluded.sha256, bytes = excluded.bytes, made_at = now()`,
    [file, key, sha256, bytes],
  );
}
