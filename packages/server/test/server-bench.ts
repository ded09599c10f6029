import { createHash, randomBytes } from 'node:crypto';
import { copyFileSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { ShotDetail } from '@ivrex/contract';
import { proposeEncoding } from '@ivrex/core';
import { BlurPool } from '@ivrex/media';
import { pino } from 'pino';
import request from 'supertest';
import { readConfig } from '../src/config/config';
import { openDatabase, type Database } from '../src/db/database';
import { migrate } from '../src/db/migrate';
import { makeApp } from '../src/http/app';
import type { Services } from '../src/services/services';
import { makeServices } from '../src/services/services';

export const ROOT = path.join(__dirname, '../../..');
/** The demo production at half its size. */
export const DEMO = path.join(ROOT, '.cache/demo/small');
export const FRAME = { width: 480, height: 270 } as const;
const MIGRATIONS = path.join(ROOT, 'packages/server/migrations');

/** Any fixed number: files of tests that start together make one template. */
const LOCK = 41177;

/** The server without its processes: a database and a data folder of its own, made before the tests of a file and gone after them. */
export class ServerBench {
  readonly data = mkdtempSync(path.join(tmpdir(), 'ivrex-api-'));
  /** Frames that were handed to the queue. */
  readonly sent: { id: string; frames: readonly number[] }[] = [];
  private readonly name = `test_${randomBytes(6).toString('hex')}`;
  private opened: { readonly admin: Database; readonly services: Services; readonly api: ReturnType<typeof request> } | null = null;

  get services(): Services {
    if (this.opened === null) throw new Error('the bench is not open yet');
    return this.opened.services;
  }

  get api(): ReturnType<typeof request> {
    if (this.opened === null) throw new Error('the bench is not open yet');
    return this.opened.api;
  }

  get database(): Database {
    return this.services.database;
  }

  async open(): Promise<void> {
    const server = process.env.IVREX_TEST_DATABASE_URL;
    if (server === undefined || !existsSync(DEMO))
      throw new Error('the test database or the demo frames are not there; run "npm test", which makes both');
    const admin = openDatabase(server, () => undefined),
      template = await migratedTemplate(admin, server);
    await admin.query(`CREATE DATABASE ${this.name} TEMPLATE ${template}`);
    const url = urlOf(server, this.name);
    const config = readConfig({
      IVREX_DATABASE_URL: url,
      IVREX_ROOT: ROOT,
      IVREX_DATA: this.data,
      IVREX_THREADS: '2',
      IVREX_LOG: 'silent',
    });
    const services = makeServices({
      database: openDatabase(url, () => undefined),
      pool: new BlurPool({
        workerFile: path.join(ROOT, 'packages/server/dist/media-worker.mjs'),
        kernelsWasm: config.kernelsWasm,
        threads: 2,
      }),
      config,
      log: pino({ level: 'silent' }),
      queue: {
        sendFrames: (id, frames) => {
          this.sent.push({ id, frames });
          return Promise.resolve();
        },
        sendFinish: () => Promise.resolve(),
        queued: () => Promise.resolve(new Set<string>()),
        forget: () => Promise.resolve(),
        changePriority: () => Promise.resolve(),
      },
      now: () => new Date(),
      work: { list: () => [] },
    });
    this.opened = { admin, services, api: request(makeApp(services)) };
  }

  async close(): Promise<void> {
    if (this.opened !== null) {
      const { admin, services } = this.opened;
      await services.pool.close();
      await services.database.close();
      await admin.query(`DROP DATABASE ${this.name} WITH (FORCE)`);
      await admin.close();
    }
    rmSync(this.data, { recursive: true, force: true });
  }

  /** The heron's frames as a shot whose reading is agreed. */
  async heronShot(frames: readonly number[] = [1010, 1011, 1012, 1014]): Promise<ShotDetail> {
    const folder = path.join(this.data, 'media/marsh/heron');
    mkdirSync(folder, { recursive: true });
    for (const frame of frames) copyFileSync(path.join(DEMO, `TC_010/TC_010_heron.${frame}.exr`), path.join(folder, `heron.${frame}.exr`));
    const made = (await this.api.post('/api/shots').send({ folder }).expect(201)).body as { id: string };
    const shot = (await this.api.get(`/api/shots/${made.id}`).expect(200)).body as ShotDetail;
    const encoding = proposeEncoding(shot.passes.find((p) => p.name === 'motion')?.channels ?? [])?.encoding ?? null;
    const settings = { ...shot.settings, elements: [{ ...shot.settings.elements[0], encoding }] };
    const change = { label: 'Reading', basedOn: shot.state.sequence, settings };
    return (await this.api.put(`/api/shots/${made.id}/settings`).send(change).expect(200)).body as ShotDetail;
  }
}

/** One for all tests of a file. */
export function serverBench(): ServerBench {
  const bench = new ServerBench();
  beforeAll(() => bench.open(), 60000);
  afterAll(() => bench.close(), 60000);
  return bench;
}

function urlOf(server: string, database: string): string {
  const url = new URL(server);
  url.pathname = `/${database}`;
  return url.href;
}

/** An empty database with every migration run, kept from run to run: copying one takes a tenth of a second. */
async function migratedTemplate(admin: Database, server: string): Promise<string> {
  const hash = createHash('sha256');
  for (const name of readdirSync(MIGRATIONS).sort()) hash.update(`${name}\0`).update(readFileSync(path.join(MIGRATIONS, name)));
  const name = `template_${hash.digest('hex').slice(0, 12)}`;
  await admin.transaction(async (db) => {
    await db.query('SELECT pg_advisory_xact_lock($1)', [LOCK]);
    if ((await admin.query('SELECT FROM pg_database WHERE datname = $1', [name])).rowCount === 1) return;
    const side = `${name}_new`;
    await admin.query(`DROP DATABASE IF EXISTS ${side}`);
    await admin.query(`CREATE DATABASE ${side}`);
    const fresh = openDatabase(urlOf(server, side), () => undefined);
    try {
      await migrate(fresh, MIGRATIONS);
    } finally {
      await fresh.close();
    }
    // A half-migrated one never gets the real name.
    await admin.query(`ALTER DATABASE ${side} RENAME TO ${name}`);
  });
  return name;
}
