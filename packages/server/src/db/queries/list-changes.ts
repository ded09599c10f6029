import { changeSchema, type Change } from '@ivrex/contract';
import type { Db } from '../database';

const MOST_CHANGES = 500;

/** Newest first. */
export async function listChanges(db: Db): Promise<Change[]> {
  const { rows } = await db.query<{ at: Date }>(`SELECT at, person, shot, what FROM changes ORDER BY id DESC LIMIT ${MOST_CHANGES}`);
  return rows.map((row) => changeSchema.parse({ ...row, at: row.at.toISOString() }));
}
