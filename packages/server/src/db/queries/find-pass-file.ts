import { passIdSchema, pictureChoiceSchema, sequenceIdSchema, shotIdSchema, type PassId } from '@ivrex/contract';
import type { FilePattern } from '@ivrex/media';
import { z } from 'zod';
import type { Db } from '../database';

export const patternSchema = z.object({
  folder: z.string(),
  before: z.string(),
  padding: z.number().nullable(),
  after: z.string(),
  odd: z.record(z.coerce.number(), z.string()).optional(),
  movieFrames: z.number().optional(),
}) satisfies z.ZodType<FilePattern>;

const rowSchema = z.object({
  id: passIdSchema,
  sequenceId: sequenceIdSchema,
  shotId: shotIdSchema,
  part: z.number(),
  layer: z.string(),
  frames: z.array(z.number()),
  pattern: patternSchema,
  usual: pictureChoiceSchema,
  /** How the shot numbers and reads it now. */
  offset: z.number(),
  reading: pictureChoiceSchema.nullable(),
});
export type PassPlace = z.infer<typeof rowSchema>;

/** Where the pass's files are, and how the shot reads them; null when there is no such pass. */
export async function findPassFile(db: Db, passId: PassId): Promise<PassPlace | null> {
  const { rows } = await db.query(
    `SELECT p.id, s.id AS "sequenceId", s.shot_id AS "shotId", p.part, p.layer, s.frames, s.pattern, p.usual,
       coalesce((t.settings->'offsets'->>s.id::text)::int, 0) AS "offset", t.settings->'readings'->p.id::text AS reading
     FROM passes p JOIN sequences s ON s.id = p.sequence_id JOIN shots h ON h.id = s.shot_id
       JOIN shot_states t ON t.shot_id = h.id AND t.sequence = h.current_state
     WHERE p.id = $1`,
    [passId],
  );
  return rows.length === 0 ? null : rowSchema.parse(rows[0]);
}
