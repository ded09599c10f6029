import type { PersonId, PersonRole } from '@ivrex/contract';
import type { Db } from '../database';

/** Null leaves as it is. A new password ends every session. False when there is no such person. */
export async function updatePerson(db: Db, id: PersonId, role: PersonRole | null, password: string | null): Promise<boolean> {
  const { rowCount } = await db.query('UPDATE people SET role = coalesce($2, role), password = coalesce($3, password) WHERE id = $1', [
    id,
    role,
    password,
  ]);
  if (password !== null) await db.query('DELETE FROM sessions WHERE person_id = $1', [id]);
  return rowCount === 1;
}
