import { openDatabase } from '../src/db/database';
import { serverBench } from './server-bench';

const bench = serverBench();
const rows = async (): Promise<string[]> =>
  (await bench.database.query<{ word: string }>('SELECT word FROM kept ORDER BY word')).rows.map(({ word }) => word);

beforeAll(async () => {
  await bench.database.query('CREATE TABLE kept (word text PRIMARY KEY)');
});
beforeEach(async () => {
  await bench.database.query('TRUNCATE kept');
});

describe('a transaction is all or nothing', () => {
  test('what it did is kept when it ends, and its result comes back', async () => {
    const result = await bench.database.transaction(async (db) => {
      await db.query('INSERT INTO kept VALUES ($1)', ['mill']);
      await db.query('INSERT INTO kept VALUES ($1)', ['tide']);
      return 'done';
    });
    expect(result).toBe('done');
    expect(await rows()).toEqual(['mill', 'tide']);
  });
  test('an error of our own takes all of it back, and is the error that comes out', async () => {
    const failing = bench.database.transaction(async (db) => {
      await db.query('INSERT INTO kept VALUES ($1)', ['mill']);
      throw new Error('the sluice is shut');
    });
    await expect(failing).rejects.toThrow('the sluice is shut');
    expect(await rows()).toEqual([]);
  });
  test('so does an error of the database', async () => {
    await bench.database.query("INSERT INTO kept VALUES ('mill')");
    const failing = bench.database.transaction(async (db) => {
      await db.query("INSERT INTO kept VALUES ('gear')");
      await db.query("INSERT INTO kept VALUES ('mill')");
    });
    await expect(failing).rejects.toMatchObject({ code: '23505' });
    expect(await rows()).toEqual(['mill']);
  });
  test('nobody sees it before it ends', async () => {
    await bench.database.transaction(async (db) => {
      await db.query("INSERT INTO kept VALUES ('mill')");
      expect(await rows()).toEqual([]);
    });
    expect(await rows()).toEqual(['mill']);
  });
  test('connections come back however it ended: more fail than there are connections', async () => {
    const all = await Promise.allSettled(
      Array.from({ length: 30 }, (_, i) =>
        bench.database.transaction(async (db) => {
          await db.query('INSERT INTO kept VALUES ($1)', [String(i)]);
          if (i % 3 !== 0) throw new Error('no');
        }),
      ),
    );
    expect(all.filter(({ status }) => status === 'rejected')).toHaveLength(20);
    expect(await rows()).toHaveLength(10);
  });
});

test('connections that are cut while they rest end nothing: the next query has a new one', async () => {
  const errors: string[] = [];
  const [{ name }] = (await bench.database.query<{ name: string }>('SELECT current_database() AS name')).rows;
  const url = new URL(process.env.IVREX_TEST_DATABASE_URL ?? '');
  url.pathname = `/${name}`;
  const database = openDatabase(url.href, (error) => errors.push(error.message));
  const [{ pid }] = (await database.query<{ pid: number }>('SELECT pg_backend_pid() AS pid')).rows;
  await bench.database.query('SELECT pg_terminate_backend($1)', [pid]);
  while (errors.length === 0) await new Promise((resolve) => setTimeout(resolve, 20));
  expect((await database.query('SELECT 1 AS one')).rows).toEqual([{ one: 1 }]);
  await database.close();
});
