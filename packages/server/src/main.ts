import { mkdir } from 'node:fs/promises';
import { readConfig } from './config/config';
import { makeApp } from './http/app';
import { DemoJob } from './jobs/make-demo-job';
import { people } from './services/people';
import { makeServices } from './services/services';
import { startUp, stopWhenTold } from './start-up';

const config = readConfig(process.env);
for (const folder of [...config.mediaFolders, config.deliveriesFolder]) await mkdir(folder, { recursive: true });
const started = await startUp(config);
const { database, pool, queue, log } = started;
const demo = new DemoJob(config);
const services = makeServices({ ...started, config, work: demo }),
  { watch, audits, remaps, makes } = services;

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

stopWhenTold(async () => {
  watch.stop();
  audits.stop();
  remaps.stop();
  makes.stop();
  server.close();
  server.closeAllConnections();
  await queue.stop().catch((error: unknown) => log.warn({ err: error }, 'the queue did not stop cleanly'));
  await pool.close();
  await database.close();
});
