import { personSchema, type Person } from '@ivrex/contract';

/** Of table `people p`, without the password. */
export const PERSON_COLUMNS = 'p.id, p.name, p.role, p.created_at AS "createdAt"';

export function parsePerson(row: Record<string, unknown>): Person {
  return personSchema.parse({ ...row, createdAt: row.createdAt instanceof Date ? row.createdAt.toISOString() : null });
}
