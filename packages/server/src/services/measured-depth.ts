import type { DepthAnswer, ElementId, ShotId, ShotSettings } from '@ivrex/contract';
import { IvrexError, type DepthDetection } from '@ivrex/core';
import { elementDepthSources, elementOf, filesRead, stampOf, withMeasuredDepth, type DepthSources, type ShotBook } from '@ivrex/media';
import type { Resources } from './resources';
import { Recent } from './recent';
import { shotBook } from './shot-documents';

export type DepthServices = Pick<Resources, 'database' | 'pool' | 'depths'>;

/** Detections are a few sentences each. */
const KEPT = 2000;

export function recentDepths(): Recent<DepthDetection> {
  return new Recent<DepthDetection>(KEPT, () => 1);
}

/** Measured once for the same files and choices. @throws IvrexError about the file that is at fault */
async function detect({ pool, depths }: DepthServices, sources: DepthSources): Promise<DepthDetection> {
  const stamps = await Promise.all(filesRead(sources).map(stampOf));
  return depths.of(JSON.stringify([sources, stamps]), async () => {
    const found = await pool.run<'depth'>({ kind: 'depth', sources });
    if (found === null) throw new IvrexError('missingFile', 'there is no depth pass');
    return found;
  });
}

/** How an element's depth pass is stored, as it is measured whatever was chosen, of the given channel; null without one. @throws IvrexError notFound, missingFrame */
export async function measureDepth(
  services: DepthServices,
  shotId: ShotId,
  element: ElementId | null,
  channel: string | null = null,
): Promise<DepthAnswer | null> {
  const book = await shotBook(services.database, shotId);
  const sources = elementDepthSources(book, elementOf(book.settings, element));
  if (sources === null) return null;
  const { alternatives, evidence, issues, ...found } = await detect(services, { ...sources, channel });
  return { ...found, alternatives: [...alternatives], evidence: [...evidence], issues: [...issues] };
}

/** The shot's book with every depth pass measured that nobody chose an encoding for. A file that can't be read is said when it is rendered. */
export async function measuredBook(services: DepthServices, shotId: ShotId, settings?: ShotSettings): Promise<ShotBook> {
  const { book } = await withMeasuredDepth(await shotBook(services.database, shotId, settings), (sources) =>
    detect(services, sources).catch((error: unknown) => {
      if (error instanceof IvrexError) return null;
      throw error;
    }),
  );
  return book;
}
