import { namedStateIdSchema, type NamedStateId, type ShotId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({ id: namedStateIdSchema, name: z.string(), created_at: z.date(), is_now: z.boolean() });

export interface NamedStateRow {
  readonly id: NamedStateId;
  readonly name: string;
  readonly at: string;
  /** The shot is set like this now. */
  readonly isNow: boolean;
}

export async function listNamedStates(db: Db, shotId: ShotId): Promise<NamedStateRow[]> {
  const { rows } = await db.query(
    `SELECT n.id, n.name, n.created_at, n.settings = t.settings AS is_now
     FROM named_states n JOIN shots s ON s.id = n.shot_id
     JOIN shot_states t ON t.shot_id = s.id AND t.sequence = s.current_state
     WHERE n.shot_id = $1 ORDER BY n.created_at`,
    [shotId],
  );
  return rows.map((row) => {
    const { id, name, created_at, is_now } = rowSchema.parse(row);
    return { id, name, at: created_at.toISOString(), isNow: is_now };
  });
}
