import type { SequenceId, ShotId } from '@ivrex/contract';
import type { FoundSequence } from '@ivrex/media';
import type { Db } from '../database';

export async function upsertSequence(db: Db, shotId: ShotId, found: FoundSequence): Promise<SequenceId> {
  const { rows } = await db.query<{ id: SequenceId }>(
    `INSERT INTO sequences (shot_id, name, pattern, frames, missing, fps, facts, format, broken, different, doubles)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
     ON CONFLICT (shot_id, name) DO UPDATE SET pattern = EXCLUDED.pattern, frames = EXCLUDED.frames, missing = EXCLUDED.missing, fps = EXCLUDED.fps,
       facts = EXCLUDED.facts, format = EXCLUDED.format, broken = EXCLUDED.broken, different = EXCLUDED.different, doubles = EXCLUDED.doubles, looks_absent = 0
     RETURNING id`,
    [
      shotId,
      found.name,
      JSON.stringify(found.sequence.pattern),
      found.sequence.frames,
      found.sequence.missing,
      found.fps,
      JSON.stringify(found.facts),
      found.header.format,
      JSON.stringify(found.broken),
      found.different,
      found.sequence.doubles,
    ],
  );
  return rows[0].id;
}
