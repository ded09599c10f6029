import type { ShotId } from '@ivrex/contract';
import type { BlurMeasure, ErrorRecord } from '@ivrex/core';
import type { Db } from '../database';

/** What a look at the folder found about the shot as a whole. */
export interface ShotLook {
  readonly unreadable: readonly { readonly name: string; readonly error: ErrorRecord }[];
  readonly beautyBlur: BlurMeasure | null;
  readonly signature: string;
}

export async function updateShotLook(db: Db, shotId: ShotId, look: ShotLook): Promise<void> {
  await db.query('UPDATE shots SET unreadable = $2, beauty_blur = $3, signature = $4 WHERE id = $1', [
    shotId,
    JSON.stringify(look.unreadable),
    look.beautyBlur === null ? null : JSON.stringify(look.beautyBlur),
    look.signature,
  ]);
}
