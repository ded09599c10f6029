import pg from 'pg';

/** A pool, or one client inside a transaction: queries take either. */
export interface Db {
  query<R extends pg.QueryResultRow>(text: string, values?: readonly unknown[]): Promise<{ rows: R[]; rowCount: number | null }>;
}

export interface Database extends Db {
  /** All or nothing. */
  transaction<T>(work: (db: Db) => Promise<T>): Promise<T>;
  close(): Promise<void>;
}

export function openDatabase(url: string, onError: (error: Error) => void): Database {
  const pool = new pg.Pool({ connectionString: url, max: 8 });
  // A connection that breaks while idle must not end the process; the next query says what is wrong.
  pool.on('error', onError);
  const over = (client: pg.Pool | pg.PoolClient): Db => ({
    query: (text, values) => client.query(text, values === undefined ? undefined : [...values]),
  });
  return {
    ...over(pool),
    async transaction(work) {
      const client = await pool.connect();
      try {
        await client.query('BEGIN');
        const result = await work(over(client));
        await client.query('COMMIT');
        return result;
      } catch (error) {
        await client.query('ROLLBACK').catch(() => undefined);
        throw error;
      } finally {
        client.release();
      }
    },
    close: () => pool.end(),
  };
}
