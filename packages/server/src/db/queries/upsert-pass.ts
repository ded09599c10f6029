import type { PassId, PictureChoice, SequenceId } from '@ivrex/contract';
import type { PassMeasure, RoleGuess } from '@ivrex/core';
import { heightOf, widthOf } from '@ivrex/core';
import type { FoundPass, ImagePart } from '@ivrex/media';
import type { Db } from '../database';

/** What was found out about a pass. */
export interface PassFacts {
  readonly found: FoundPass;
  readonly part: ImagePart;
  readonly guess: RoleGuess;
  readonly usual: PictureChoice;
  readonly measures: readonly PassMeasure[];
}

export async function upsertPass(db: Db, sequenceId: SequenceId, { found, part, guess, usual, measures }: PassFacts): Promise<PassId> {
  const { rows } = await db.query<{ id: PassId }>(
    `INSERT INTO passes (sequence_id, part, layer, channels, width, height, pixel_aspect, compression, guess, cryptomatte, usual, measures)
     VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
     ON CONFLICT (sequence_id, part, layer) DO UPDATE SET channels = EXCLUDED.channels, width = EXCLUDED.width, height = EXCLUDED.height,
       pixel_aspect = EXCLUDED.pixel_aspect, compression = EXCLUDED.compression, guess = EXCLUDED.guess, cryptomatte = EXCLUDED.cryptomatte,
       usual = EXCLUDED.usual, measures = EXCLUDED.measures, looks_absent = 0
     RETURNING id`,
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
      found.cryptomatte,
      JSON.stringify(usual),
      JSON.stringify(measures),
    ],
  );
  return rows[0].id;
}
