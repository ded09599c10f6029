import type { Person } from '@ivrex/contract';
import type { Db } from '../database';
import { parsePerson, PERSON_COLUMNS } from './person-row';

export async function listPeople(db: Db): Promise<Person[]> {
  const { rows } = await db.query(`SELECT ${PERSON_COLUMNS} FROM people p ORDER BY lower(p.name)`);
  return rows.map(parsePerson);
}
