import type { DeliveryOptions, ShotId } from '@ivrex/contract';
import type { Db } from '../database';

export interface DeliveryMeasure {
  /** Of a frame with the same things in it, of whatever form; null before there was one. */
  readonly milliseconds: number | null;
  /** Of a frame in this very form. */
  readonly bytes: number | null;
}

/** Means over frames of the shot that were made. */
export async function measureDeliveries(
  db: Db,
  shotId: ShotId,
  { what, form }: Pick<DeliveryOptions, 'what' | 'form'>,
): Promise<DeliveryMeasure> {
  const { rows } = await db.query<{ milliseconds: string | null; bytes: string | null }>(
    `SELECT avg(f.milliseconds) AS milliseconds, avg(f.bytes) FILTER (WHERE d.options->'form' @> $3) AS bytes
     FROM (SELECT * FROM deliveries WHERE shot_id = $1 AND options->'what' = $2 ORDER BY created_at DESC LIMIT 10) d
       JOIN delivery_frames f ON f.delivery_id = d.id WHERE f.state = 'done' AND NOT f.kept`,
    [shotId, JSON.stringify(what), JSON.stringify(form)],
  );
  const number = (text: string | null | undefined) => (text === null || text === undefined ? null : Number(text));
  return { milliseconds: number(rows[0]?.milliseconds), bytes: number(rows[0]?.bytes) };
}
