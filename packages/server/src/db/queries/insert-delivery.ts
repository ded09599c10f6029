import type { DeliveryId, DeliveryOptions, ShotId, ShotSettings } from '@ivrex/contract';
import type { Db } from '../database';

export interface NewDelivery {
  readonly shotId: ShotId;
  readonly folder: string;
  readonly pattern: string;
  readonly options: DeliveryOptions;
  readonly settings: ShotSettings;
  readonly frames: readonly number[];
}

export async function insertDelivery(db: Db, d: NewDelivery): Promise<DeliveryId> {
  const { rows } = await db.query<{ id: DeliveryId }>(
    `WITH d AS (INSERT INTO deliveries (shot_id, state, folder, pattern, options, settings) VALUES ($1, 'running', $2, $3, $4, $5) RETURNING id),
       f AS (INSERT INTO delivery_frames (delivery_id, frame, state) SELECT d.id, frame, 'waiting' FROM d, unnest($6::int[]) AS frame)
     SELECT id FROM d`,
    [d.shotId, d.folder, d.pattern, JSON.stringify(d.options), JSON.stringify(d.settings), d.frames],
  );
  return rows[0].id;
}
