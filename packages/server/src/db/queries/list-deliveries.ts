import {
  deliveryIdSchema,
  deliveryOptionsSchema,
  deliverySchema,
  deliveryStateSchema,
  shotIdSchema,
  shotSettingsSchema,
  type DeliveryId,
  type ShotId,
} from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  id: deliveryIdSchema,
  shotId: shotIdSchema,
  shot: z.string(),
  state: deliveryStateSchema,
  root: z.string(),
  folder: z.string(),
  pattern: z.string(),
  options: deliveryOptionsSchema,
  settings: shotSettingsSchema,
  error: z.string().nullable(),
  extras: z.array(z.string()),
  createdAt: z.date(),
  frames: deliverySchema.shape.frames,
});
export type DeliveryRow = z.infer<typeof rowSchema>;

/** Newest first: of one shot, or one delivery, or those that are under way, or the last hundred of all. */
export async function listDeliveries(db: Db, which: { shotId?: ShotId; id?: DeliveryId; open?: boolean }): Promise<DeliveryRow[]> {
  const { rows } = await db.query(
    `SELECT d.id, d.shot_id AS "shotId", s.name AS shot, d.state, d.root, d.folder, d.pattern, d.options, d.settings, d.error, d.extras, d.created_at AS "createdAt",
       (SELECT coalesce(jsonb_agg(jsonb_build_object('frame', f.frame, 'state', f.state, 'milliseconds', f.milliseconds, 'kept', f.kept, 'attempt', f.attempt, 'error', f.error, 'notes', f.notes) ORDER BY f.frame), '[]') FROM delivery_frames f WHERE f.delivery_id = d.id) AS frames
     FROM deliveries d JOIN shots s ON s.id = d.shot_id
     WHERE ($1::uuid IS NULL OR d.shot_id = $1) AND ($2::uuid IS NULL OR d.id = $2) AND (NOT $3 OR d.state IN ('running', 'paused', 'finishing'))
     ORDER BY d.created_at DESC LIMIT 100`,
    [which.shotId ?? null, which.id ?? null, which.open ?? false],
  );
  return rows.map((row) => rowSchema.parse(row));
}
