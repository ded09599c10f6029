import {
  deliveryOptionsSchema,
  deliveryStateSchema,
  frameStateSchema,
  deliveryIdSchema,
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
  state: deliveryStateSchema,
  folder: z.string(),
  pattern: z.string(),
  options: deliveryOptionsSchema,
  settings: shotSettingsSchema,
  createdAt: z.date(),
  frames: z.array(
    z.object({ frame: z.number(), state: frameStateSchema, milliseconds: z.number().nullable(), error: z.string().nullable() }),
  ),
});
export type DeliveryRow = z.infer<typeof rowSchema>;

/** Newest first: of one shot, or one delivery, or those that are under way. */
export async function listDeliveries(db: Db, which: { shotId?: ShotId; id?: DeliveryId; running?: boolean }): Promise<DeliveryRow[]> {
  const { rows } = await db.query(
    `SELECT d.id, d.shot_id AS "shotId", d.state, d.folder, d.pattern, d.options, d.settings, d.created_at AS "createdAt",
       (SELECT coalesce(jsonb_agg(jsonb_build_object('frame', f.frame, 'state', f.state, 'milliseconds', f.milliseconds, 'error', f.error) ORDER BY f.frame), '[]') FROM delivery_frames f WHERE f.delivery_id = d.id) AS frames
     FROM deliveries d WHERE ($1::uuid IS NULL OR d.shot_id = $1) AND ($2::uuid IS NULL OR d.id = $2) AND (NOT $3 OR d.state = 'running')
     ORDER BY d.created_at DESC LIMIT 100`,
    [which.shotId ?? null, which.id ?? null, which.running ?? false],
  );
  return rows.map((row) => rowSchema.parse(row));
}
