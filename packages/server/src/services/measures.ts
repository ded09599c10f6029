import { IvrexError, type ExrLimits, type PassMeasure } from '@ivrex/core';
import { FileMemory, fileOnDisk, frameFile, type FoundSequence } from '@ivrex/media';
import { stat } from 'node:fs/promises';
import type { Services } from './services';

/** What one looked-at frame says, layer by layer. */
export type LayerMeasures = readonly { readonly part: number; readonly layer: string; readonly measure: PassMeasure }[];

const REMEMBERED = 2000;

/** What this process knows of files, so that a folder which grows is not read again and again. */
export class FolderLooks {
  readonly files: FileMemory;
  private readonly measured = new Map<string, LayerMeasures>();
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

  async measure({ pool }: Pick<Services, 'pool'>, file: string): Promise<LayerMeasures> {
    const { mtimeMs, size } = await stat(fileOnDisk(file));
    const key = `${file} ${mtimeMs} ${size}`;
    const known = this.measured.get(key);
    if (known !== undefined) return known;
    const { layers } = await pool.run<'measure'>({ kind: 'measure', file });
    if (this.measured.size >= REMEMBERED) this.measured.clear();
    this.measured.set(key, layers);
    return layers;
  }
}

/** The middle, the first and the last whole frame of every sequence, the middle first. A frame whose pixels can't be read is left out. */
export async function measureSequences(
  services: Pick<Services, 'pool' | 'looks'>,
  sequences: readonly FoundSequence[],
): Promise<Map<FoundSequence, readonly LayerMeasures[]>> {
  const jobs = sequences.flatMap((sequence) =>
    lookedAt(sequence).map((frame) => ({ sequence, file: frameFile(sequence.sequence.pattern, frame) })),
  );
  const out = new Map<FoundSequence, LayerMeasures[]>(sequences.map((s) => [s, []]));
  const results = await Promise.all(
    jobs.map(({ file }) =>
      services.looks.measure(services, file).catch((error: unknown) => {
        if (error instanceof IvrexError) return null;
        throw error;
      }),
    ),
  );
  results.forEach((result, i) => {
    if (result !== null) out.get(jobs[i].sequence)?.push(result);
  });
  return out;
}

function lookedAt({ sequence, broken, goodFrame, header }: FoundSequence): (number | null)[] {
  // One frame of a movie costs a run of frames.
  if (sequence.frames.length === 0 || header.format === 'movie') return [goodFrame];
  const bad = new Set(broken.map((b) => b.frame));
  const good = sequence.frames.filter((f) => !bad.has(f));
  return [...new Set([good[Math.floor(good.length / 2)], good[0], good[good.length - 1]])];
}
