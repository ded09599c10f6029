import { shotSettingsSchema, type NamedStateId, type ShotId, type ShotSettings } from '@ivrex/contract';
import type { Db } from '../database';

export async function findNamedState(db: Db, shotId: ShotId, id: NamedStateId): Promise<{ name: string; settings: ShotSettings } | null> {
  const { rows } = await db.query<{ name: string; settings: unknown }>(
    'SELECT name, settings FROM named_states WHERE shot_id = $1 AND id = $2',
    [shotId, id],
  );
  return rows.length === 0 ? null : { name: rows[0].name, settings: shotSettingsSchema.parse(rows[0].settings) };
}
