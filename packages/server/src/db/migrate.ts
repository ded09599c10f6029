import { readdir, readFile } from 'node:fs/promises';
import path from 'node:path';
import type { Database } from './database';

/** Any fixed number: processes that start together take turns. */
const LOCK = 7301984;

/** Runs the migrations that have not run yet, in order, each once. Returns their names. */
export async function migrate(database: Database, folder: string): Promise<string[]> {
  const names = (await readdir(folder)).filter((name) => /^\d{4}-.*\.sql$/.test(name)).sort();
  return database.transaction(async (db) => {
    await db.query('SELECT pg_advisory_xact_lock($1)', [LOCK]);
    await db.query('CREATE TABLE IF NOT EXISTS migrations (name text PRIMARY KEY, ran_at timestamptz NOT NULL DEFAULT now())');
    const done = new Set((await db.query<{ name: string }>('SELECT name FROM migrations')).rows.map((row) => row.name));
    const fresh = names.filter((name) => !done.has(name));
    for (const name of fresh) {
      await db.query(await readFile(path.join(folder, name), 'utf8'));
      await db.query('INSERT INTO migrations (name) VALUES ($1)', [name]);
    }
    return fresh;
  });
}
