import { savedEncodingSchema, type SavedEncoding } from '@ivrex/contract';
import type { Db } from '../database';

/** The newest version of every saved encoding, by name. */
export async function listEncodings(db: Db): Promise<SavedEncoding[]> {
  const { rows } = await db.query<{ createdAt: Date }>(
    'SELECT DISTINCT ON (name) id, name, version, document, created_at AS "createdAt" FROM encodings ORDER BY name, version DESC',
  );
  return rows.map((row) => savedEncodingSchema.parse({ ...row, createdAt: row.createdAt.toISOString() }));
}
