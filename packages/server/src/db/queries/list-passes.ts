import { passSchema, type Pass, type ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export async function listPasses(db: Db, shotId: ShotId): Promise<Pass[]> {
  const { rows } = await db.query<{ layer: string; file: string }>(
    `SELECT p.id, p.sequence_id AS "sequenceId", s.name AS file, p.part, p.layer, p.channels, p.width, p.height, p.pixel_aspect AS "pixelAspect", p.compression,
       CASE WHEN s.pattern->>'padding' IS NULL THEN NULL ELSE s.frames END AS frames, s.missing, s.fps, s.facts, p.guess
     FROM passes p JOIN sequences s ON s.id = p.sequence_id WHERE s.shot_id = $1 ORDER BY s.name, p.part, p.layer`,
    [shotId],
  );
  return rows.map((row) => passSchema.parse({ ...row, name: row.layer === '' ? row.file.replace(/[._]*#*\.\w+$/, '') : row.layer }));
}
