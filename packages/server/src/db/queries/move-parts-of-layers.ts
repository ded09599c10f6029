import type { SequenceId } from '@ivrex/contract';
import type { FoundPass } from '@ivrex/media';
import type { Db } from '../database';

/** A layer that lies in another part of its file since it was rendered anew is the same pass; by its name, where only one has it then and now. */
export async function movePartsOfLayers(
  db: Db,
  sequenceId: SequenceId,
  found: readonly Pick<FoundPass, 'part' | 'layer'>[],
): Promise<void> {
  for (const { part, layer } of found.filter((f) => found.every((o) => o === f || o.layer !== f.layer)))
    await db.query(
      `UPDATE passes SET part = $3 WHERE sequence_id = $1 AND layer = $2 AND part <> $3
         AND (SELECT count(*) FROM passes o WHERE o.sequence_id = $1 AND o.layer = $2) = 1`,
      [sequenceId, layer, part],
    );
}
