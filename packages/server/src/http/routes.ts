import express, { type Router } from 'express';
import {
  deliveryIdSchema,
  deliveryOptionsSchema,
  newShotSchema,
  passIdSchema,
  saveEncodingSchema,
  settingsChangeSchema,
  shotIdSchema,
} from '@ivrex/contract';
import { z } from 'zod';
import { insertEncoding } from '../db/queries/insert-encoding';
import { listEncodings } from '../db/queries/list-encodings';
import { bringIn } from '../services/bring-in';
import { cancel, deliveriesOf, orderDelivery, resume } from '../services/deliveries';
import { frameRaster, passFileAt, rasterTag } from '../services/frames';
import { listMediaFolders } from '../services/media-folders';
import type { Services } from '../services/services';
import { changeSettings, shotDetail, shotSummaries, stepState } from '../services/shots';

const shotParams = z.object({ shotId: shotIdSchema });
const deliveryParams = z.object({ deliveryId: deliveryIdSchema });
const rasterParams = z.object({ passId: passIdSchema, frame: z.coerce.number().int() });
const rasterQuery = z.object({ form: z.enum(['picture', 'planes']), every: z.coerce.number().int().min(1).max(64).default(1) });

/** Parse, call a service, reply. */
export function apiRoutes(services: Services): Router {
  const api = express.Router();
  api.use(express.json({ limit: '2mb' }));
  api.get('/health', (_request, response) => {
    response.json({ ok: true });
  });
  api.get('/work', (_request, response) => {
    response.json(services.work.list());
  });
  api.get('/media-folders', async (_request, response) => {
    response.json(await listMediaFolders(services));
  });

  api.get('/shots', async (_request, response) => {
    response.json(await shotSummaries(services));
  });
  api.post('/shots', async (request, response) => {
    response.status(201).json({ id: await bringIn(services, newShotSchema.parse(request.body).folder) });
  });
  api.get('/shots/:shotId', async (request, response) => {
    response.json(await shotDetail(services.database, shotParams.parse(request.params).shotId));
  });
  api.put('/shots/:shotId/settings', async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    const { settings, label, basedOn } = settingsChangeSchema.parse(request.body);
    response.json(await changeSettings(services, shotId, settings, label, basedOn));
  });
  api.post('/shots/:shotId/undo', async (request, response) => {
    response.json(await stepState(services, shotParams.parse(request.params).shotId, -1));
  });
  api.post('/shots/:shotId/redo', async (request, response) => {
    response.json(await stepState(services, shotParams.parse(request.params).shotId, 1));
  });
  api.post('/shots/:shotId/look-again', async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    await bringIn(services, (await shotDetail(services.database, shotId)).shot.folder);
    response.json(await shotDetail(services.database, shotId));
  });

  api.get('/passes/:passId/frames/:frame', async (request, response) => {
    const { passId, frame } = rasterParams.parse(request.params);
    const { form, every } = rasterQuery.parse(request.query);
    const file = await passFileAt(services.database, passId, frame);
    const tag = await rasterTag(file);
    if (request.headers['if-none-match'] === tag) {
      response.status(304).end();
      return;
    }
    // Headers after the pixels: an error is JSON.
    const pixels = await frameRaster(services, file, form, every);
    response.set({ ETag: tag, 'Cache-Control': 'private, no-cache', 'Content-Type': 'application/octet-stream' }).end(pixels);
  });

  api.get('/encodings', async (_request, response) => {
    response.json(await listEncodings(services.database));
  });
  api.post('/encodings', async (request, response) => {
    const { name, document } = saveEncodingSchema.parse(request.body);
    await insertEncoding(services.database, name, { ...document, name });
    response.status(201).json(await listEncodings(services.database));
  });

  api.get('/shots/:shotId/deliveries', async (request, response) => {
    response.json(await deliveriesOf(services, shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/deliveries', async (request, response) => {
    response
      .status(201)
      .json(await orderDelivery(services, shotParams.parse(request.params).shotId, deliveryOptionsSchema.parse(request.body)));
  });
  api.post('/deliveries/:deliveryId/cancel', async (request, response) => {
    response.json(await cancel(services, deliveryParams.parse(request.params).deliveryId));
  });
  api.post('/deliveries/:deliveryId/resume', async (request, response) => {
    response.json(await resume(services, deliveryParams.parse(request.params).deliveryId));
  });
  api.use((_request, response) => {
    response.status(404).json({ error: { code: 'notFound', message: 'there is no such address' } });
  });
  return api;
}
