import type { EncodingId } from '@ivrex/contract';
import type { Db } from '../database';

/** All versions of the name that this one belongs to. False when there is none. */
export async function deleteEncoding(db: Db, id: EncodingId): Promise<boolean> {
  const { rowCount } = await db.query('DELETE FROM encodings WHERE name = (SELECT name FROM encodings WHERE id = $1)', [id]);
  return (rowCount ?? 0) > 0;
}
