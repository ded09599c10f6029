import { createHash } from 'node:crypto';
import type { MotionFact, Identification } from '@ivrex/core';
import { IvrexError, orNull } from '@ivrex/core';
import type { ElementId, MotionReading, PassId, ShotDetail, ShotId } from '@ivrex/contract';
import type { IdentifyRequest } from '@ivrex/media';
import type { Db } from '../db/database';
import { findMotionReading } from '../db/queries/find-motion-reading';
import { insertMotionReading } from '../db/queries/insert-motion-reading';
import { passFileAt, pictureFileAt } from './frames';
import type { Resources } from './resources';
import { shotDetail } from './shots';

type ReadingServices = Pick<Resources, 'database' | 'pool'>;

/** Another one where what a reading says has changed its form: what was kept before is worked out anew. */
const READING_FORM = 'reading 3';

/** Sure enough to look at no other frame. */
const ENOUGH = 0.85,
  MOST_TRIED = 7;

/**
 * How the shot's motion pass is stored, worked out from the pictures: of one frame, or of the frame among a few that tells most. What was
 * worked out is kept, so that asking again costs nothing until files or choices change. @throws IvrexError badSetting, missingFrame
 */
export async function readMotionPass(
  services: ReadingServices,
  shotId: ShotId,
  frame: number | null,
  facts: readonly MotionFact[],
  element: ElementId | null = null,
): Promise<MotionReading> {
  const detail = await shotDetail(services.database, shotId, element);
  const { beauty, motion } = chosenPasses(detail);
  const key = keyOf(detail, [READING_FORM, beauty, motion, frame, facts]);
  const known = await findMotionReading(services.database, shotId, key);
  if (known !== null) return known;
  let best: MotionReading | null = null,
    refused: IvrexError | null = null;
  for (const at of frame === null ? framesToTry(detail, beauty, motion) : [frame]) {
    try {
      const found: Identification = await services.pool.run<'identify'>({
        kind: 'identify',
        request: await requestAt(services.database, detail, beauty, motion, at, facts),
      });
      if (best === null || found.confidence > best.confidence) best = { ...found, frame: at };
    } catch (error) {
      if (!(error instanceof IvrexError) || frame !== null) throw error;
      refused = error;
    }
    if (best !== null && best.confidence >= ENOUGH) break;
  }
  if (best === null) throw refused ?? new IvrexError('missingFrame', 'the beauty and the motion pass have no frame in common');
  await insertMotionReading(services.database, shotId, key, best);
  return best;
}

export function chosenPasses({ settings }: ShotDetail): { beauty: PassId; motion: PassId } {
  const [{ beauty, motion }] = settings.elements;
  if (beauty === null || motion === null) throw new IvrexError('badSetting', 'choose a beauty and a motion pass in step Passes first');
  return { beauty, motion };
}

/** What a result about motion depends on: the folder as it is, numbering, how pictures are read, the rate, and what is asked. */
export function keyOf({ look, settings }: ShotDetail, asked: unknown): string {
  const { offsets, readings, fps } = settings;
  return createHash('sha256')
    .update(JSON.stringify([look, offsets, readings, fps, asked]))
    .digest('hex');
}

/** The middle, the quarters, then nearly the ends: of frames with neighbours on both sides, then of any, as single ones may be broken. */
function framesToTry({ passes, shot }: ShotDetail, beauty: PassId, motion: PassId): number[] {
  const framesOf = (id: PassId) => passes.find((p) => p.id === id)?.frames ?? null;
  const of = framesOf(beauty),
    moving = framesOf(motion);
  if (of === null) return [shot.firstFrame];
  const shared = of.filter((f) => moving === null || moving.includes(f));
  const between = shared.filter((f) => of.includes(f - 1) && of.includes(f + 1));
  const spread = (list: readonly number[]) =>
    list.length === 0 ? [] : [0.5, 0.25, 0.75, 0.1, 0.9].map((p) => list[Math.floor((list.length - 1) * p)]);
  return [...new Set([...spread(between), ...spread(shared)])].slice(0, MOST_TRIED);
}

async function requestAt(
  db: Db,
  { passes, settings }: ShotDetail,
  beauty: PassId,
  motion: PassId,
  frame: number,
  facts: readonly MotionFact[],
): Promise<IdentifyRequest> {
  const picture = (f: number) => pictureFileAt(db, beauty, f, { settings }),
    stored = (f: number) => passFileAt(db, motion, f, settings);
  const isOne = (id: PassId) => (passes.find((p) => p.id === id)?.frames ?? null) === null;
  return {
    // A frame that is not there has no neighbour; a lone file is none of itself.
    beauty: {
      previous: isOne(beauty) ? null : await orNull(() => picture(frame - 1)),
      now: await picture(frame),
      next: isOne(beauty) ? null : await orNull(() => picture(frame + 1)),
    },
    motion: {
      previous: isOne(motion) ? null : await orNull(() => stored(frame - 1)),
      now: await stored(frame),
      next: isOne(motion) ? null : await orNull(() => stored(frame + 1)),
    },
    fps: settings.fps ?? passes.find((p) => p.id === beauty)?.fps ?? null,
    facts,
  };
}
