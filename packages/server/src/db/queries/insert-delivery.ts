import { writtenDocument, type DeliveryId, type DeliveryOptions, type ShotDocument, type ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export interface NewDelivery {
  readonly shotId: ShotId;
  readonly root: string;
  readonly folder: string;
  readonly pattern: string;
  readonly place: string;
  readonly options: DeliveryOptions;
  readonly document: ShotDocument;
  readonly frames: readonly number[];
}

/** Null when another delivery that is under way writes the same files. */
export async function insertDelivery(db: Db, d: NewDelivery): Promise<DeliveryId | null> {
  const { rows } = await db.query<{ id: DeliveryId }>(
    `WITH d AS (
       INSERT INTO deliveries (shot_id, state, root, folder, pattern, place, options, settings, document) VALUES ($1, 'running', $2, $3, $4, $5, $6, $7, $8)
       ON CONFLICT (place) WHERE state IN ('running', 'paused', 'finishing') DO NOTHING RETURNING id),
     f AS (INSERT INTO delivery_frames (delivery_id, frame, state) SELECT d.id, frame, 'waiting' FROM d, unnest($9::int[]) AS frame)
     SELECT id FROM d`,
    [
      d.shotId,
      d.root,
      d.folder,
      d.pattern,
      d.place,
      JSON.stringify(d.options),
      JSON.stringify(d.document.settings),
      JSON.stringify(writtenDocument(d.document)),
      d.frames,
    ],
  );
  return rows[0]?.id ?? null;
}
