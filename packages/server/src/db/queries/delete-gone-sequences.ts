import type { SequenceId, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** Sequences that are no longer in the folder. Only our records: media is never touched. */
export async function deleteGoneSequences(db: Db, shotId: ShotId, kept: readonly SequenceId[]): Promise<void> {
  await db.query('DELETE FROM sequences WHERE shot_id = $1 AND NOT (id = ANY ($2::uuid[]))', [shotId, kept]);
}
