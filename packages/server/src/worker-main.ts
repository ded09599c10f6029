import { randomUUID } from 'node:crypto';
import { workerIdSchema } from '@ivrex/contract';
import { mappedPath } from '@ivrex/media';
import { readConfig } from './config/config';
import { DeliveryWorker } from './jobs/delivery-worker';
import { SharedDigests } from './services/digests';
import { Matches } from './services/matches';
import { recentDepths } from './services/measured-depth';
import { MotionAudits } from './services/motion-audits';
import { startUp, stopWhenTold } from './start-up';

/** A process that renders deliveries. It needs the database and the folders, and nothing of the server's. */
const config = readConfig(process.env);
const base = { ...(await startUp(config)), depths: recentDepths() };
const { database, pool } = base,
  { mappings } = config;
const back = mappings.map(({ from, to }) => ({ from: to, to: from }));
const audits = new MotionAudits(base);
const worker = new DeliveryWorker({
  ...base,
  matches: new Matches(base),
  // A worker does not set out to measure speeds: a report beside a delivery shows those that are known.
  audits: { look: (shotId, element) => audits.known(shotId, element) },
  mappings,
  worker: workerIdSchema.parse(randomUUID()),
  name: config.workerName,
  threads: config.threads,
  fontFile: config.fontFile,
  digests: new SharedDigests(database, (file) => mappedPath(file, back)),
});
// Whoever started it may be gone before it is told.
process.stdout.on('error', () => undefined);
await worker.start();
// The one line that the start script reads.
process.stdout.write('IVREX WORKS\n');
stopWhenTold(async () => {
  await worker.stop();
  await pool.close();
  await database.close();
});
