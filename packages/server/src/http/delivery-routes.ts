import type { Router } from 'express';
import { deliveryIdSchema, deliveryOptionsSchema, PRIORITIES, shotDocumentSchema, shotIdSchema } from '@ivrex/contract';
import { z } from 'zod';
import { cancel, changePriority, deliveriesOf, deliveryPlan, orderDelivery, pause, resume, wholeQueue } from '../services/deliveries';
import { exportJob, exportShot, importShot } from '../services/hand-over';
import type { Services } from '../services/services';

const shotParams = z.object({ shotId: shotIdSchema });
const deliveryParams = z.object({ deliveryId: deliveryIdSchema });
const documentOrderSchema = z.strictObject({ deliver: deliveryOptionsSchema.nullable() });
const prioritySchema = z.strictObject({ priority: z.enum(PRIORITIES) });

/** What is delivered, by whom, and how far it is. */
export function deliveryRoutes(api: Router, services: Services): void {
  api.get('/shots/:shotId/deliveries', async (request, response) => {
    response.json(await deliveriesOf(services, shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/deliveries', async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    response.status(201).json(await orderDelivery(services, shotId, deliveryOptionsSchema.parse(request.body)));
  });
  api.post('/shots/:shotId/deliveries/plan', async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    response.json(await deliveryPlan(services, shotId, deliveryOptionsSchema.parse(request.body)));
  });
  for (const [name, action] of Object.entries({ cancel, pause, resume }))
    api.post(`/deliveries/:deliveryId/${name}`, async (request, response) => {
      response.json(await action(services, deliveryParams.parse(request.params).deliveryId));
    });
  api.post('/shots/:shotId/document', async (request, response) => {
    const { deliver } = documentOrderSchema.parse(request.body);
    response.json(await exportShot(services, shotParams.parse(request.params).shotId, deliver));
  });
  api.post('/shots/:shotId/job-template', async (request, response) => {
    response.json(await exportJob(services, shotParams.parse(request.params).shotId, deliveryOptionsSchema.parse(request.body)));
  });
  api.post('/shots/:shotId/take-over', async (request, response) => {
    response.json(await importShot(services, shotParams.parse(request.params).shotId, shotDocumentSchema.parse(request.body)));
  });
  api.put('/deliveries/:deliveryId/priority', async (request, response) => {
    const { deliveryId } = deliveryParams.parse(request.params);
    response.json(await changePriority(services, deliveryId, prioritySchema.parse(request.body).priority));
  });
  api.get('/queue', async (_request, response) => {
    response.json(await wholeQueue(services));
  });
}
