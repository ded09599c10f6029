import type { Person } from '@ivrex/contract';
import type { Db } from '../database';
import { parsePerson, PERSON_COLUMNS } from './person-row';

/** By name, whatever its case. */
export async function findPassword(db: Db, name: string): Promise<{ person: Person; password: string } | null> {
  const { rows } = await db.query<{ password: string }>(
    `SELECT ${PERSON_COLUMNS}, p.password FROM people p WHERE lower(p.name) = lower($1)`,
    [name],
  );
  return rows.length === 0 ? null : { person: parsePerson(rows[0]), password: rows[0].password };
}
