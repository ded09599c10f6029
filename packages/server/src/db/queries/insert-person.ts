import type { PersonRole } from '@ivrex/contract';
import type { Db } from '../database';

/** False when the name is taken. */
export async function insertPerson(db: Db, name: string, role: PersonRole, password: string): Promise<boolean> {
  const { rowCount } = await db.query(
    'INSERT INTO people (name, role, password) VALUES ($1, $2, $3) ON CONFLICT ((lower(name))) DO NOTHING',
    [name, role, password],
  );
  return rowCount === 1;
}
