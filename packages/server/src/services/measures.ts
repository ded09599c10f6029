import { IvrexError } from '@ivrex/core';
import { frameFile, type FoundSequence } from '@ivrex/media';
import type { LayerMeasures } from './folder-looks';
import type { Resources } from './resources';

/** The middle, the first and the last whole frame of every sequence, the middle first. A frame whose pixels can't be read is left out. */
export async function measureSequences(
  services: Pick<Resources, 'pool' | 'looks'>,
  sequences: readonly FoundSequence[],
): Promise<Map<FoundSequence, readonly LayerMeasures[]>> {
  const jobs = sequences.flatMap((sequence) =>
    lookedAt(sequence).map((frame) => ({ sequence, file: frameFile(sequence.sequence.pattern, frame) })),
  );
  const out = new Map<FoundSequence, LayerMeasures[]>(sequences.map((s) => [s, []]));
  const results = await Promise.all(
    jobs.map(({ file }) =>
      services.looks.measure(services.pool, file).catch((error: unknown) => {
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
