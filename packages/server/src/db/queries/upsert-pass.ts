import type { SequenceId } from '@ivrex/contract';
import type { ExrPart, RoleGuess } from '@ivrex/core';
import { heightOf, widthOf } from '@ivrex/core';
import type { FoundPass } from '@ivrex/media';
import type { Db } from '../database';

export async function upsertPass(db: Db, sequenceId: SequenceId, found: FoundPass, part: ExrPart, guess: RoleGuess): Promise<void> {
  await db.query(
    `INSERT INTO passes (sequence_id, part, layer, channels, width, height, pixel_aspect, compression, guess) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)
     ON CONFLICT (sequence_id, part, layer) DO UPDATE SET channels = EXCLUDED.channels, width = EXCLUDED.width, height = EXCLUDED.height,
       pixel_aspect = EXCLUDED.pixel_aspect, compression = EXCLUDED.compression, guess = EXCLUDED.guess`,
    [
      sequenceId,
      found.part,
      found.layer,
      JSON.stringify(found.channels),
      widthOf(part.displayWindow),
      heightOf(part.displayWindow),
      part.pixelAspectRatio,
      part.compression,
      JSON.stringify(guess),
    ],
  );
}
