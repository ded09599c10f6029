import type { PersonId } from '@ivrex/contract';
import type { Db } from '../database';

export async function deletePerson(db: Db, id: PersonId): Promise<void> {
  await db.query('DELETE FROM people WHERE id = $1', [id]);
}
