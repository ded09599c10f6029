import { randomUUID } from 'node:crypto';
import { mkdir } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { workerIdSchema } from '@ivrex/contract';
import { BlurPool, mappedPath } from '@ivrex/media';
import { pino } from 'pino';
import { readConfig } from './config/config';
import { openDatabase } from './db/database';
import { migrate } from './db/migrate';
import { openDeliveryQueue } from './jobs/delivery-queue';
import { DeliveryWorker } from './jobs/delivery-worker';
import { Matches } from './services/matches';
import { SharedDigests } from './services/digests';

/** A process that renders deliveries. It needs the database and the folders, and nothing of the server's. */
const config = readConfig(process.env);
const log = pino({ level: config.logLevel });
await mkdir(config.cacheFolder, { recursive: true });
const database = openDatabase(config.databaseUrl, (error) => log.error({ err: error }, 'a database connection broke'));
await migrate(database, config.migrationsFolder);
const pool = new BlurPool({
  workerFile: fileURLToPath(new URL('./media-worker.mjs', import.meta.url)),
  kernelsWasm: config.kernelsWasm,
  threads: config.threads,
  cacheFolder: config.cacheFolder,
  limits: config.limits,
});
const queue = await openDeliveryQueue(config.databaseUrl, database, log);
const { mappings } = config;
const back = mappings.map(({ from, to }) => ({ from: to, to: from }));
const base = { database, pool, log, now: () => new Date() };
const worker = new DeliveryWorker({
  ...base,
  queue,
  matches: new Matches(base),
  // A worker does not set out to measure speeds: reports beside deliveries are without their chart.
  audits: { look: () => Promise.resolve(null) },
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

let stopping = false;
async function stop(): Promise<void> {
  if (stopping) return;
  stopping = true;
  await worker.stop();
  await pool.close();
  await database.close();
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
