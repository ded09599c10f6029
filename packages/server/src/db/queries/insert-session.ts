import type { PersonId } from '@ivrex/contract';
import type { Db } from '../database';
import { SESSION_HOURS } from './find-session';

/** Sessions that are over are cleared away with it. */
export async function insertSession(db: Db, tokenHash: string, person: PersonId): Promise<void> {
  await db.query('DELETE FROM sessions WHERE seen_at < now() - make_interval(hours => $1)', [SESSION_HOURS]);
  await db.query('INSERT INTO sessions (token_hash, person_id) VALUES ($1, $2)', [tokenHash, person]);
}
