import { mkdir } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { BlurPool } from '@ivrex/media';
import { pino } from 'pino';
import type { Config } from './config/config';
import { openDatabase } from './db/database';
import { migrate } from './db/migrate';
import { openDeliveryQueue } from './jobs/delivery-queue';

/** What the server and a worker both stand on: the database as it should be, threads, the queue, a log. */
export async function startUp(config: Config) {
  const log = pino({ level: config.logLevel });
  await mkdir(config.cacheFolder, { recursive: true });
  const database = openDatabase(config.databaseUrl, (error) => log.error({ err: error }, 'a database connection broke'));
  const ran = await migrate(database, config.migrationsFolder);
  if (ran.length > 0) log.info({ migrations: ran }, 'migrated');
  const pool = new BlurPool({
    workerFile: fileURLToPath(new URL('./media-worker.mjs', import.meta.url)),
    kernelsWasm: config.kernelsWasm,
    threads: config.threads,
    cacheFolder: config.cacheFolder,
    limits: config.limits,
  });
  const queue = await openDeliveryQueue(config.databaseUrl, database, log);
  return { log, database, pool, queue, now: () => new Date() };
}

/** A database that is gone already never answers that it let go. */
const MOST_STOPPING_MS = 30000;

/** Ends the process when it is told to: once, after `stop`, which lets go of what was started. */
export function stopWhenTold(stop: () => Promise<void>): void {
  let stopping = false;
  const once = () => {
    if (stopping) return;
    stopping = true;
    setTimeout(() => process.exit(1), MOST_STOPPING_MS).unref();
    void stop().finally(() => process.exit(0));
  };
  process.on('SIGTERM', once);
  process.on('SIGINT', once);
}
