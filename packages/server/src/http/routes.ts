import express, { type Router } from 'express';
import {
  depthQuerySchema,
  encodingIdSchema,
  findOffsetSchema,
  identifyRequestSchema,
  lutIdSchema,
  madeNameSchema,
  makeMotionOrderSchema,
  newCameraTrackSchema,
  newLutSchema,
  newShotSchema,
  newUploadSchema,
  passIdSchema,
  pictureChoiceSchema,
  remapOrderSchema,
  saveEncodingSchema,
  settingsChangeSchema,
  shotIdSchema,
  tryMotionSchema,
  uploadIdSchema,
} from '@ivrex/contract';
import { IvrexError, parseCubeLut } from '@ivrex/core';
import { z } from 'zod';
import { findLut } from '../db/queries/find-lut';
import { insertLut } from '../db/queries/insert-lut';
import { listCameraTracks } from '../db/queries/list-camera-tracks';
import { listLuts } from '../db/queries/list-luts';
import { bringIn } from '../services/bring-in';
import { addCameraTrack } from '../services/camera-tracks';
import { removeEncoding, savedEncodings, saveEncoding } from '../services/encodings';
import { frameRaster, manifestOf, passFileAt, pictureFileAt, rasterTag } from '../services/frames';
import { listFolder } from '../services/media-folders';
import { measureDepth } from '../services/measured-depth';
import { readMotionPass } from '../services/motion-readings';
import type { Services } from '../services/services';
import { changeSettings, shotDetail, shotSummaries, stepState } from '../services/shots';
import { deliveryRoutes } from './delivery-routes';
import { focusOf } from './focus';
import { matchRoutes } from './match-routes';
import { peopleRoutes } from './people-routes';
import { assertTerms, routeTerms } from './route-terms';
import { guard, sessionRoutes } from './session';
import { makeUploadServer, startUpload, uploadFolder, uploadOf } from '../services/uploads';

const shotParams = z.object({ shotId: shotIdSchema });

const rasterParams = z.object({ passId: passIdSchema, frame: z.coerce.number().int() });
const rasterQuery = z.object({
  form: z.enum(['picture', 'planes']),
  every: z.coerce.number().int().min(1).max(64).default(1),
  /** A reading to be tried, as JSON; without it the shot's own. */
  reading: z
    .string()
    .max(2000)
    .transform((text, context) => {
      try {
        return JSON.parse(text) as unknown;
      } catch {
        context.addIssue('is not JSON');
        return z.NEVER;
      }
    })
    .pipe(pictureChoiceSchema)
    .nullable()
    .default(null),
});
const folderQuery = z.object({ folder: z.string().min(1).max(4000).nullable().default(null) });
const uploadParams = z.object({ uploadId: uploadIdSchema });
const lutParams = z.object({ lutId: lutIdSchema });
/** LUTs are the only long documents. */
const LONGEST_JSON = '70mb';

/** Parse, call a service, reply. */
export function apiRoutes(services: Services): Router {
  const api = express.Router();
  api.use(express.json({ limit: LONGEST_JSON }));
  api.get('/health', (_request, response) => {
    response.json({ ok: true });
  });
  const may = routeTerms(services);
  const session = sessionRoutes(api, services, may);
  api.use(guard(services));
  peopleRoutes(api, services, may, session);
  api.get('/work', (_request, response) => {
    response.json(services.work.list());
  });
  api.get('/folders', async (request, response) => {
    response.json(await listFolder(services, folderQuery.parse(request.query).folder));
  });

  const uploads = makeUploadServer(services);
  api.all(['/upload-files', '/upload-files/{*any}'], may.changeQuietly, async (request, response) => {
    await uploads.handle(Object.assign(request, { url: request.originalUrl }), response);
  });
  api.post('/uploads', may.change('began the upload $'), async (request, response) => {
    response.status(201).json(await startUpload(services, newUploadSchema.parse(request.body).name));
  });
  api.get('/uploads/:uploadId', async (request, response) => {
    response.json(await uploadOf(services, uploadParams.parse(request.params).uploadId));
  });
  api.post('/uploads/:uploadId/shot', may.change('made a shot of an upload'), async (request, response) => {
    response.status(201).json({ id: await bringIn(services, await uploadFolder(services, uploadParams.parse(request.params).uploadId)) });
  });

  api.get('/shots', async (_request, response) => {
    response.json(await shotSummaries(services));
  });
  api.post('/shots', may.change('brought a folder in'), async (request, response) => {
    response.status(201).json({ id: await bringIn(services, newShotSchema.parse(request.body).folder) });
  });
  api.get('/shots/:shotId', async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    services.watch.see(shotId);
    response.json(await shotDetail(services.database, shotId));
  });
  api.put('/shots/:shotId/settings', may.change('$'), async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    const { settings, label, basedOn } = settingsChangeSchema.parse(request.body);
    response.json(await changeSettings(services, shotId, settings, label, basedOn));
  });
  api.post('/shots/:shotId/undo', may.change('took the last change back'), async (request, response) => {
    response.json(await stepState(services, shotParams.parse(request.params).shotId, -1));
  });
  api.post('/shots/:shotId/redo', may.change('did a change again'), async (request, response) => {
    response.json(await stepState(services, shotParams.parse(request.params).shotId, 1));
  });
  api.post('/shots/:shotId/look-again', may.change('looked at the folder again'), async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    await bringIn(services, (await shotDetail(services.database, shotId)).shot.folder, { force: true });
    response.json(await shotDetail(services.database, shotId));
  });

  api.get('/shots/:shotId/depth', async (request, response) => {
    const { channel = null } = depthQuerySchema.parse(request.query);
    response.json(await measureDepth(services, shotParams.parse(request.params).shotId, focusOf(request), channel));
  });

  api.post('/shots/:shotId/motion/reading', may.ask, async (request, response) => {
    const { frame, thorough, facts } = identifyRequestSchema.parse(request.body);
    response.json(await readMotionPass(services, shotParams.parse(request.params).shotId, { frame, thorough }, facts, focusOf(request)));
  });
  api.get('/shots/:shotId/motion/audit', async (request, response) => {
    response.json(await services.audits.look(shotParams.parse(request.params).shotId, focusOf(request)));
  });
  api.post('/shots/:shotId/motion/audit/cancel', may.change('stopped the audit'), async (request, response) => {
    response.json(await services.audits.cancel(shotParams.parse(request.params).shotId, focusOf(request)));
  });
  api.post('/shots/:shotId/motion/audit/resume', may.change('went on with the audit'), async (request, response) => {
    response.json(await services.audits.resume(shotParams.parse(request.params).shotId, focusOf(request)));
  });

  api.get('/shots/:shotId/motion/remap', async (request, response) => {
    response.json(await services.remaps.look(shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/motion/remap', may.change('remapped motion to $'), async (request, response) => {
    const order = remapOrderSchema.parse(request.body);
    response.status(201).json(await services.remaps.order(shotParams.parse(request.params).shotId, order, focusOf(request)));
  });
  api.post('/shots/:shotId/motion/remap/cancel', may.change('stopped remapping motion'), async (request, response) => {
    response.json(await services.remaps.cancel(shotParams.parse(request.params).shotId));
  });

  api.get('/shots/:shotId/motion/make', async (request, response) => {
    response.json(await services.makes.look(shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/motion/make', may.change('had motion made'), async (request, response) => {
    const { source } = makeMotionOrderSchema.parse(request.body);
    response.status(201).json(await services.makes.order(shotParams.parse(request.params).shotId, source, focusOf(request)));
  });
  api.post('/shots/:shotId/motion/make/try', may.ask, async (request, response) => {
    const { source, frame } = tryMotionSchema.parse(request.body);
    response.json(await services.makes.try(shotParams.parse(request.params).shotId, source, frame, focusOf(request)));
  });
  api.post('/shots/:shotId/motion/make/offset', may.ask, async (request, response) => {
    const { shot } = findOffsetSchema.parse(request.body);
    response.json(await services.makes.findOffset(shotParams.parse(request.params).shotId, shot, focusOf(request)));
  });
  api.delete('/shots/:shotId/motion/made/:name', may.change('removed made motion'), async (request, response) => {
    const { shotId, name } = shotParams.extend({ name: madeNameSchema }).parse(request.params);
    await services.makes.remove(shotId, name);
    response.json(await shotDetail(services.database, shotId));
  });
  api.post('/shots/:shotId/motion/make/cancel', may.change('stopped making motion'), async (request, response) => {
    response.json(await services.makes.cancel(shotParams.parse(request.params).shotId));
  });
  api.get('/shots/:shotId/cameras', async (request, response) => {
    response.json(await listCameraTracks(services.database, shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/cameras', may.change('added the camera $'), async (request, response) => {
    const { name, base64 } = newCameraTrackSchema.parse(request.body);
    const { shotId } = shotParams.parse(request.params);
    response.status(201).json(await addCameraTrack(services, shotId, name, Buffer.from(base64, 'base64')));
  });

  matchRoutes(api, services, may);

  api.get('/passes/:passId/frames/:frame', async (request, response) => {
    const { passId, frame } = rasterParams.parse(request.params);
    const { form, every, reading } = rasterQuery.parse(request.query);
    const file =
      form === 'picture'
        ? await pictureFileAt(services.database, passId, frame, { tried: reading })
        : await passFileAt(services.database, passId, frame);
    const tag = await rasterTag(file);
    if (request.headers['if-none-match'] === tag) {
      response.status(304).end();
      return;
    }
    // Headers after the pixels: an error is JSON.
    const pixels = await frameRaster(services, file, tag, form, every);
    response.set({ ETag: tag, 'Cache-Control': 'private, no-cache', 'Content-Type': 'application/octet-stream' }).end(pixels);
  });

  api.get('/passes/:passId/manifest', async (request, response) => {
    response.json(await manifestOf(services.database, z.object({ passId: passIdSchema }).parse(request.params).passId));
  });

  api.get('/luts', async (_request, response) => {
    response.json(await listLuts(services.database));
  });
  api.post('/luts', may.change('added the LUT $'), async (request, response) => {
    const { name, text } = newLutSchema.parse(request.body);
    response.status(201).json({ id: await insertLut(services.database, name, parseCubeLut(text), text) });
  });
  api.get('/luts/:lutId', async (request, response) => {
    const lut = await findLut(services.database, lutParams.parse(request.params).lutId);
    if (lut === null) throw new IvrexError('notFound', 'there is no such LUT');
    response.type('text/plain').send(lut.text);
  });

  api.get('/encodings', async (_request, response) => {
    response.json(await savedEncodings(services));
  });
  api.post('/encodings', may.change('kept the encoding $'), async (request, response) => {
    const { name, document, fingerprint } = saveEncodingSchema.parse(request.body);
    response.status(201).json(await saveEncoding(services, name, document, fingerprint));
  });
  api.delete('/encodings/:encodingId', may.change('removed an encoding'), async (request, response) => {
    response.json(await removeEncoding(services, z.object({ encodingId: encodingIdSchema }).parse(request.params).encodingId));
  });

  deliveryRoutes(api, services, may);
  assertTerms(api);
  api.use((_request, response) => {
    response.status(404).json({ error: { code: 'notFound', message: 'there is no such address' } });
  });
  return api;
}
