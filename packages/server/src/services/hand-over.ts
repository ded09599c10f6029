import {
  jobTemplate,
  lutIdSchema,
  takeOver,
  writtenDocument,
  type DeliveryOptions,
  type ShotDetail,
  type ShotDocument,
  type ShotDocumentText,
  type ShotId,
} from '@ivrex/contract';
import { IvrexError, parseCubeLut } from '@ivrex/core';
import { relativeDocument } from '@ivrex/media';
import { findLut } from '../db/queries/find-lut';
import { insertLut } from '../db/queries/insert-lut';
import { planDelivery } from './delivery-plan';
import type { Resources } from './resources';
import { shotDocument } from './shot-documents';
import { changeSettings, shotDetail } from './shots';

type HandOverServices = Pick<Resources, 'database' | 'config' | 'pool' | 'depths'>;

/** The shot as a document that lies in the shot's own folder: folders are relative to it. @throws IvrexError notFound */
export async function exportShot(
  { database }: Pick<HandOverServices, 'database'>,
  shotId: ShotId,
  deliver: DeliveryOptions | null,
): Promise<ShotDocumentText> {
  const { shot } = await shotDetail(database, shotId);
  return writtenDocument(relativeDocument(await shotDocument(database, shotId, { deliver }), shot.folder));
}

/** A render farm's job that delivers this. @throws IvrexError badSetting when something stands in its way */
export async function exportJob(services: HandOverServices, shotId: ShotId, asked: DeliveryOptions): Promise<object> {
  const { plan, options, book } = await planDelivery(services, shotId, asked);
  if (plan.faults.length > 0) throw new IvrexError('badSetting', plan.faults.join('; '));
  return jobTemplate(book.document, options, plan.frames);
}

/** Takes all settings from a document of the same passes, as one change that undo takes back. @throws IvrexError badSetting, notFound */
export async function importShot({ database }: HandOverServices, shotId: ShotId, document: ShotDocument): Promise<ShotDetail> {
  const { state } = await shotDetail(database, shotId);
  const { settings, missing } = takeOver(document, await shotDocument(database, shotId));
  if (settings === null)
    throw new IvrexError(
      'badSetting',
      `the document is of a shot with other passes: ${missing.join('; ')} ${missing.length === 1 ? 'is' : 'are'} not here`,
    );
  const { displayTransform } = settings;
  if (typeof displayTransform === 'object' && (await findLut(database, displayTransform.lut)) === null) {
    const table = document.tables[displayTransform.lut];
    if (table === undefined) throw new IvrexError('badSetting', 'the document is shown through a table that does not come with it');
    const lut = lutIdSchema.parse(await insertLut(database, table.name, parseCubeLut(table.text), table.text));
    settings.displayTransform = { ...displayTransform, lut };
  }
  return changeSettings({ database }, shotId, settings, `settings of ${document.name} from a document`, state.sequence);
}
