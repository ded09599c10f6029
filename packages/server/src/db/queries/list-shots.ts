import { deliveryStateSchema, shotIdSchema, shotSettingsSchema, type ShotId, type ShotSettings } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  id: shotIdSchema,
  name: z.string(),
  folder: z.string(),
  firstFrame: z.number(),
  lastFrame: z.number(),
  fps: z.number().nullable(),
  width: z.number(),
  height: z.number(),
  changedAt: z.date(),
  openFindings: z.number(),
  delivered: z.boolean(),
  delivery: deliveryStateSchema.nullable(),
  posterFrame: z.number().nullable(),
  settings: shotSettingsSchema,
});
export type ShotRow = z.infer<typeof rowSchema>;

/** All shots, or one, with their current settings; the last changed first. */
export async function listShots(db: Db, only: ShotId | null = null): Promise<(ShotRow & { settings: ShotSettings })[]> {
  const { rows } = await db.query(
    `SELECT s.id, s.name, s.folder, s.first_frame AS "firstFrame", s.last_frame AS "lastFrame", s.fps, s.width, s.height, s.changed_at AS "changedAt", t.settings,
       (SELECT count(*)::int FROM findings f WHERE f.shot_id = s.id AND f.severity <> 'info') AS "openFindings",
       (SELECT f.frame - coalesce((t.settings->'offsets'->>q.id::text)::int, 0)
        FROM sequences q JOIN passes p ON p.sequence_id = q.id, unnest(q.frames) WITH ORDINALITY AS f(frame, n)
        WHERE p.id::text = t.settings->'elements'->0->>'beauty'
          AND NOT EXISTS (SELECT FROM jsonb_array_elements(q.broken) b WHERE (b->>'frame')::int = f.frame)
        ORDER BY abs(f.n - cardinality(q.frames) / 2) LIMIT 1)::int AS "posterFrame",
       EXISTS (SELECT FROM deliveries d WHERE d.shot_id = s.id AND d.state = 'done') AS delivered,
       (SELECT d.state FROM deliveries d WHERE d.shot_id = s.id ORDER BY d.created_at DESC LIMIT 1) AS delivery
     FROM shots s JOIN shot_states t ON t.shot_id = s.id AND t.sequence = s.current_state
     WHERE $1::uuid IS NULL OR s.id = $1 ORDER BY s.changed_at DESC`,
    [only],
  );
  return rows.map((row) => rowSchema.parse(row));
}
