import path from 'node:path';
import type { DeliveryId } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { finishFiles } from '@ivrex/media';
import { claimFinish } from '../db/queries/claim-finish';
import { endDelivery } from '../db/queries/end-delivery';
import { messageOf, openOrder, type WorkServices } from './delivery-work';

export interface FinishServices extends WorkServices {
  readonly fontFile: string;
}

/** The last part of a delivery. Whoever takes it does all of it. */
export async function finishDelivery(services: FinishServices, id: DeliveryId, signal: AbortSignal): Promise<void> {
  const { database, worker, log, fontFile } = services;
  if (!(await claimFinish(database, id, worker))) return;
  try {
    const order = await openOrder(services, id);
    const files = await finishFiles(order, fontFile, signal);
    const home = files.map((file) => path.join(order.homeRoot, path.relative(order.root, file)));
    await endDelivery(database, id, worker, home, null);
  } catch (error) {
    // A worker that ends gives it back; a cancelled delivery is no longer in this state.
    if (error instanceof IvrexError && error.code === 'cancelled') return;
    if (!(error instanceof IvrexError)) log.error({ err: error, deliveryId: id }, 'a delivery could not be finished');
    await endDelivery(database, id, worker, [], messageOf(error));
  }
}
