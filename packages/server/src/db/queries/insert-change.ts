import type { Db } from '../database';

/** `shotId` as an address has it; a shot that is not there leaves the row without. */
export async function insertChange(db: Db, person: string, shotId: string | null, what: string): Promise<void> {
  await db.query('INSERT INTO changes (person, shot, what) VALUES ($1, (SELECT name FROM shots WHERE id::text = $2), $3)', [
    person,
    shotId,
    what,
  ]);
}
