import type { Person } from '@ivrex/contract';
import type { Db } from '../database';
import { parsePerson, PERSON_COLUMNS } from './person-row';

/** A session that was not used for so long is over. */
export const SESSION_HOURS = 24;

/** Who holds it; it was used now. Written down once a minute, not with every picture. */
export async function findSession(db: Db, tokenHash: string): Promise<Person | null> {
  const { rows } = await db.query<{ stale: boolean }>(
    `SELECT ${PERSON_COLUMNS}, s.seen_at < now() - interval '1 minute' AS stale FROM sessions s JOIN people p ON p.id = s.person_id
     WHERE s.token_hash = $1 AND s.seen_at > now() - make_interval(hours => $2)`,
    [tokenHash, SESSION_HOURS],
  );
  if (rows.length === 0) return null;
  if (rows[0].stale) await db.query('UPDATE sessions SET seen_at = now() WHERE token_hash = $1', [tokenHash]);
  return parsePerson(rows[0]);
}
