import type { LutId } from '@ivrex/contract';
import type { Db } from '../database';

/** The .cube text as it was given. */
export async function findLut(db: Db, id: LutId): Promise<{ name: string; text: string } | null> {
  const { rows } = await db.query<{ name: string; text: string }>('SELECT name, document AS text FROM luts WHERE id = $1', [id]);
  return rows[0] ?? null;
}
