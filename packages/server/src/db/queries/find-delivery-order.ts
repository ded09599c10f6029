import { deliveryOptionsSchema, shotDocumentSchema, shotIdSchema, shotSettingsSchema, type DeliveryId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  shotId: shotIdSchema,
  root: z.string(),
  options: deliveryOptionsSchema,
  settings: shotSettingsSchema,
  /** Null in deliveries from before there were documents. */
  document: shotDocumentSchema.nullable(),
  frames: z.array(z.number().int()),
});
export type DeliveryOrder = z.infer<typeof rowSchema>;

/** What was ordered, without how far it is. */
export async function findDeliveryOrder(db: Db, id: DeliveryId): Promise<DeliveryOrder | null> {
  const { rows } = await db.query(
    `SELECT shot_id AS "shotId", root, options, settings, document,
       (SELECT coalesce(jsonb_agg(f.frame ORDER BY f.frame), '[]') FROM delivery_frames f WHERE f.delivery_id = d.id) AS frames
     FROM deliveries d WHERE id = $1`,
    [id],
  );
  return rows.length === 0 ? null : rowSchema.parse(rows[0]);
}
