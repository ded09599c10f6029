import { hashFile, stampOf, type Digests } from '@ivrex/media';
import type { Db } from '../db/database';
import { findDigest } from '../db/queries/find-digest';
import { saveDigest } from '../db/queries/save-digest';

/**
 * What source files hold, known to all processes while a file's size, time and inode stay. `home` gives a path as the database calls it where
 * this machine calls it otherwise.
 */
export class SharedDigests implements Digests {
  private readonly known = new Map<string, string>();

  constructor(
    private readonly db: Db,
    private readonly home: (file: string) => string = (file) => file,
  ) {}

  async digestOf(file: string): Promise<string | null> {
    const stamp = await stampOf(file);
    if (stamp === null) return null;
    const known = await this.look(file, stamp);
    if (known !== null) return known;
    const digest = await hashFile(file).catch(() => null);
    if (digest !== null) await saveDigest(this.db, this.home(file), stamp, digest);
    return digest;
  }

  /** Without reading the file: null when nobody has read it since it was written. */
  async look(file: string, stamp: string): Promise<string | null> {
    const id = `${file} ${stamp}`,
      known = this.known.get(id) ?? (await findDigest(this.db, this.home(file), stamp));
    if (known !== null) this.known.set(id, known);
    return known;
  }

  /** The same digests, but only those that are known. */
  get peek(): Digests {
    return {
      digestOf: async (file) => {
        const stamp = await stampOf(file);
        return stamp === null ? null : this.look(file, stamp);
      },
    };
  }
}
