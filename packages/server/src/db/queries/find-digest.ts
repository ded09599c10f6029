import type { Db } from '../database';

/** What the file holds; null when it is not known or was written anew since. */
export async function findDigest(db: Db, file: string, stamp: string): Promise<string | null> {
  const { rows } = await db.query<{ digest: string }>('SELECT digest FROM file_digests WHERE file = $1 AND stamp = $2', [file, stamp]);
  return rows[0]?.digest ?? null;
}
