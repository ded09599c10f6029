import type { DeliveryOptions, ShotDocument, ShotId, ShotSettings } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { ShotBook } from '@ivrex/media';
import type { Db } from '../db/database';
import { findLut } from '../db/queries/find-lut';
import { listPasses } from '../db/queries/list-passes';
import { listSequencePlaces } from '../db/queries/list-sequence-places';
import { listShots } from '../db/queries/list-shots';

/** The shot in one document: with these settings, or those that it has now. @throws IvrexError notFound */
export async function shotDocument(
  db: Db,
  shotId: ShotId,
  { settings, deliver = null }: { readonly settings?: ShotSettings; readonly deliver?: DeliveryOptions | null } = {},
): Promise<ShotDocument> {
  const [row] = await listShots(db, shotId);
  if (row === undefined) throw new IvrexError('notFound', 'there is no such shot; it may have been removed');
  const decided = settings ?? row.settings;
  const passes = await listPasses(db, shotId, decided);
  const { displayTransform } = decided;
  const table = typeof displayTransform === 'object' ? await findLut(db, displayTransform.lut) : null;
  return {
    ivrexShot: 1,
    name: row.name,
    width: row.width,
    height: row.height,
    firstFrame: row.firstFrame,
    lastFrame: row.lastFrame,
    sequences: (await listSequencePlaces(db, shotId)).map(({ id, name, pattern, frames }) => ({
      id,
      name,
      ...pattern,
      odd: oddByText(pattern.odd),
      frames,
    })),
    passes: passes.map((p) => ({
      id: p.id,
      sequence: p.sequenceId,
      name: p.name,
      part: p.part,
      layer: p.layer,
      role: p.guess.role,
      usual: p.usual,
      pixelAspect: p.pixelAspect,
      fps: p.fps,
    })),
    settings: decided,
    tables: typeof displayTransform === 'object' && table !== null ? { [displayTransform.lut]: table } : {},
    deliver,
  };
}

function oddByText(odd: Readonly<Record<number, string>> | undefined): Record<string, string> | undefined {
  return odd === undefined ? undefined : { ...odd };
}

/** To look the shot's files up by frame. @throws IvrexError notFound */
export async function shotBook(db: Db, shotId: ShotId, settings?: ShotSettings): Promise<ShotBook> {
  return new ShotBook(await shotDocument(db, shotId, settings === undefined ? {} : { settings }));
}
