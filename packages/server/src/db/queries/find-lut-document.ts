import type { LutId } from '@ivrex/contract';
import type { Db } from '../database';

export async function findLutDocument(db: Db, id: LutId): Promise<string | null> {
  const { rows } = await db.query<{ document: string }>('SELECT document FROM luts WHERE id = $1', [id]);
  return rows[0]?.document ?? null;
}
