import path from 'node:path';
import { besideName, focusOn, loneElement, type DeliveryId } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { finishFiles, writeFileAtomic } from '@ivrex/media';
import { claimFinish } from '../db/queries/claim-finish';
import { endDelivery } from '../db/queries/end-delivery';
import { messageOf, openOrder, type OpenOrder, type WorkServices } from './delivery-work';
import { reportPage } from './report-page';
import { reportOf, type ReportServices } from './shot-reports';
import { shotDetail } from './shots';

export interface FinishServices extends WorkServices, ReportServices {
  readonly fontFile: string;
}

/** The last part of a delivery. Whoever takes it does all of it. */
export async function finishDelivery(services: FinishServices, id: DeliveryId, signal: AbortSignal): Promise<void> {
  const { database, worker, log, fontFile } = services;
  if (!(await claimFinish(database, id, worker))) return;
  try {
    const order = await openOrder(services, id);
    const files = await finishFiles(order, fontFile, signal);
    if (order.options.report) files.push(...(await writeReport(services, order)));
    const home = files.map((file) => path.join(order.homeRoot, path.relative(order.root, file)));
    await endDelivery(database, id, worker, home, null);
  } catch (error) {
    // A worker that ends gives it back; a cancelled delivery is no longer in this state.
    if (error instanceof IvrexError && error.code === 'cancelled') return;
    if (!(error instanceof IvrexError)) log.error({ err: error, deliveryId: id }, 'a delivery could not be finished');
    await endDelivery(database, id, worker, [], messageOf(error));
  }
}

/** The shot report beside the delivery, of the settings that were delivered. A report that can't be made does not make the delivery less. */
async function writeReport(services: FinishServices, order: OpenOrder): Promise<string[]> {
  const { options, book, root, frames, shotId } = order,
    { database, matches, log } = services;
  const file = path.join(root, `${besideName(options, book.document.name)}.report.html`);
  try {
    const detail = { ...(await shotDetail(database, shotId)), settings: focusOn(book.settings, loneElement(options.what)) };
    const report = await reportOf(services, detail, [frames[Math.floor(frames.length / 2)]], await matches.newest(shotId));
    await writeFileAtomic(file, Buffer.from(reportPage(report)));
    return [file];
  } catch (error) {
    log.warn({ err: error, deliveryId: order.id }, 'the report of a delivery could not be made');
    return [];
  }
}
