import type { PassId, SequenceId, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

/** Sequences and layers that a look at the folder did not find. They stay known: a folder that is rendered anew is empty for a while. */
export async function markAbsent(db: Db, shotId: ShotId, sequences: readonly SequenceId[], passes: readonly PassId[]): Promise<void> {
  await db.query('UPDATE sequences SET looks_absent = least(looks_absent + 1, 2) WHERE shot_id = $1 AND NOT (id = ANY ($2::uuid[]))', [
    shotId,
    sequences,
  ]);
  await db.query(
    `UPDATE passes p SET looks_absent = least(p.looks_absent + 1, 2) FROM sequences s
     WHERE s.id = p.sequence_id AND s.shot_id = $1 AND NOT (p.id = ANY ($2::uuid[]))`,
    [shotId, passes],
  );
}
