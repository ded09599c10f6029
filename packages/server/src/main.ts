import { fileURLToPath } from 'node:url';
import { mkdir } from 'node:fs/promises';
import { BlurPool } from '@ivrex/media';
import { pino } from 'pino';
import { readConfig } from './config/config';
import { openDatabase } from './db/database';
import { migrate } from './db/migrate';
import { makeApp } from './http/app';
import { openDeliveryQueue } from './jobs/delivery-queue';
import { DemoJob } from './jobs/make-demo-job';
import { recentRasters } from './services/frames';
import { FolderLooks } from './services/measures';
import { people } from './services/people';
import { Matches } from './services/matches';
import { MotionAudits } from './services/motion-audits';
import { MotionMakes } from './services/motion-makes';
import { MotionRemaps } from './services/motion-remaps';
import type { Services } from './services/services';
import { ShotWatch } from './services/watch';

const config = readConfig(process.env);
const log = pino({ level: config.logLevel });
for (const folder of [...config.mediaFolders, config.deliveriesFolder, config.cacheFolder]) await mkdir(folder, { recursive: true });
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
const demo = new DemoJob(config);
const base = {
  database,
  pool,
  config,
  log,
  queue,
  work: demo,
  now: () => new Date(),
  looks: new FolderLooks(config.limits),
  rasters: recentRasters(),
};
const watch = new ShotWatch(base);
const audits = new MotionAudits(base);
const remaps = new MotionRemaps(base);
const makes = new MotionMakes(base);
const services: Services = { ...base, watch, audits, remaps, makes, matches: new Matches(base) };

if (config.signInRequired && (await people(services)).length === 0) {
  process.stderr.write('ivrex: people sign in here, and nobody can yet; add somebody first: npm run people -- add NAME --role admin\n');
  process.exit(1);
}
const server = makeApp(services).listen(config.port, config.host, (error?: Error) => {
  if (error) {
    log.error({ err: error }, 'the address could not be opened');
    process.exit(1);
  }
  const address = server.address();
  // The one line that the start script reads.
  if (address !== null && typeof address === 'object') process.stdout.write(`IVREX LISTENS ${address.port}\n`);
});
for (const jobs of [remaps, makes]) await jobs.resume();
watch.start();
if (config.makeDemo) void demo.run(services);

let stopping = false;
async function stop(): Promise<void> {
  if (stopping) return;
  stopping = true;
  watch.stop();
  audits.stop();
  remaps.stop();
  makes.stop();
  server.close();
  server.closeAllConnections();
  await queue.stop().catch((error: unknown) => log.warn({ err: error }, 'the queue did not stop cleanly'));
  await pool.close();
  await database.close();
  process.exit(0);
}
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
