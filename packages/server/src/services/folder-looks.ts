import { stat } from 'node:fs/promises';
import type { ExrLimits, PassMeasure } from '@ivrex/core';
import { FileMemory, fileOnDisk, type BlurPool } from '@ivrex/media';
import { LRUCache } from 'lru-cache';

/** What one looked-at frame says, layer by layer. */
export type LayerMeasures = readonly { readonly part: number; readonly layer: string; readonly measure: PassMeasure }[];

const REMEMBERED = 2000;

/** What this process knows of files, so that a folder which grows is not read again and again. */
export class FolderLooks {
  readonly files: FileMemory;
  private readonly measured = new LRUCache<string, LayerMeasures>({ max: REMEMBERED });
  private readonly turns = new Map<string, Promise<unknown>>();

  constructor(limits?: ExrLimits) {
    this.files = new FileMemory(limits);
  }

  /** One look at a folder after the other. */
  async inTurn<T>(folder: string, work: () => Promise<T>): Promise<T> {
    const before = this.turns.get(folder) ?? Promise.resolve();
    const mine = before.catch(() => undefined).then(work);
    this.turns.set(folder, mine);
    try {
      return await mine;
    } finally {
      if (this.turns.get(folder) === mine) this.turns.delete(folder);
    }
  }

  async measure(pool: BlurPool, file: string): Promise<LayerMeasures> {
    const { mtimeMs, size } = await stat(fileOnDisk(file));
    const key = `${file} ${mtimeMs} ${size}`;
    const known = this.measured.get(key);
    if (known !== undefined) return known;
    const { layers } = await pool.run<'measure'>({ kind: 'measure', file });
    this.measured.set(key, layers);
    return layers;
  }
}
