import type { Db } from '../database';

export async function saveDigest(db: Db, file: string, stamp: string, digest: string): Promise<void> {
  await db.query(
    `INSERT INTO file_digests (file, stamp, digest) VALUES ($1, $2, $3)
     ON CONFLICT (file) DO UPDATE SET stamp = excluded.stamp, digest = excluded.digest, seen_at = now()`,
    [file, stamp, digest],
  );
}
