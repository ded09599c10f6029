import type { MadeFile } from '@ivrex/media';
import type { Db } from '../database';

/** What was written there last. */
export async function findMadeFile(db: Db, file: string): Promise<MadeFile | null> {
  const { rows } = await db.query<{ key: string; sha256: string; bytes: string }>(
    'SELECT key, sha256, bytes FROM made_files WHERE file = $1',
    [file],
  );
  return rows.length === 0 ? null : { ...rows[0], bytes: Number(rows[0].bytes) };
}
