import { createHash } from 'node:crypto';
import type { Encoding, MotionFact, Identification } from '@ivrex/core';
import { IvrexError, orNull } from '@ivrex/core';
import type { ElementId, MotionReading, PassId, ShotDetail, ShotId } from '@ivrex/contract';
import { fingerprintOf } from '@ivrex/contract';
import type { FrameRequest } from '@ivrex/media';
import type { Db } from '../db/database';
import { listEncodings } from '../db/queries/list-encodings';
import { findMotionReading } from '../db/queries/find-motion-reading';
import { insertMotionReading } from '../db/queries/insert-motion-reading';
import { passFileAt, pictureFileAt } from './frames';
import type { Resources } from './resources';
import { shotDetail } from './shots';

type ReadingServices = Pick<Resources, 'database' | 'pool'>;

/** Another one where what a reading says has changed its form: what was kept before is worked out anew. */
const READING_FORM = 'reading 6';

/** Frames whose passes are compared, and of how many of them the evidence is added up: one for a quick answer, more behind it. */
const MOST_COMPARED = 12,
  QUICKLY_COMPARED = 5,
  TAKEN = 5;

/**
 * How the shot's motion pass is stored, worked out from the pictures: of one frame, of the frame among a few that tells most, or (`thorough`) of several
 * together. What was worked out is kept, so that asking again costs nothing until files or choices change. @throws IvrexError badSetting, missingFrame
 */
export async function readMotionPass(
  services: ReadingServices,
  shotId: ShotId,
  { frame, thorough }: { readonly frame: number | null; readonly thorough: boolean },
  facts: readonly MotionFact[],
  element: ElementId | null = null,
): Promise<MotionReading> {
  const detail = await shotDetail(services.database, shotId, element);
  const { beauty, motion } = chosenPasses(detail);
  const alike = await encodingsForAlike(services.database, detail, motion);
  const key = keyOf(detail, [READING_FORM, beauty, motion, frame, thorough, facts, alike]);
  const known = await findMotionReading(services.database, shotId, key);
  if (known !== null) return known;
  const frames: FrameRequest[] = [];
  let refused: unknown = null;
  for (const at of frame === null ? framesToTry(detail, beauty, motion, thorough ? MOST_COMPARED : QUICKLY_COMPARED) : [frame]) {
    try {
      frames.push(await requestAt(services.database, detail, beauty, motion, at));
    } catch (error) {
      if (!(error instanceof IvrexError) || frame !== null) throw error;
      refused ??= error;
    }
  }
  if (frames.length === 0) throw refused ?? new IvrexError('missingFrame', 'the beauty and the motion pass have no frame in common');
  const { passes, settings } = detail,
    fps = settings.fps ?? passes.find((p) => p.id === beauty)?.fps ?? null;
  const found: Identification = await services.pool.run<'identify'>({
    kind: 'identify',
    request: { frames, take: thorough ? TAKEN : 1, fps, facts, known: alike },
  });
  const reading = { ...found, frame: found.evidence.frames[0] ?? frames[0].frame ?? 0 };
  await insertMotionReading(services.database, shotId, key, reading);
  return reading;
}

/** The newest version of every encoding that was saved for a pass like this one. */
async function encodingsForAlike(database: Db, { passes }: ShotDetail, motion: PassId): Promise<Encoding[]> {
  const pass = passes.find((p) => p.id === motion);
  if (pass === undefined) return [];
  const own = fingerprintOf(pass),
    newest = new Map<string, Encoding>();
  for (const { name, document, fingerprint } of await listEncodings(database))
    if (fingerprint === own && !newest.has(name)) newest.set(name, document);
  return [...newest.values()];
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

/** Spread over the frames with neighbours on both sides; where those are few, the others too. */
function framesToTry({ passes, shot }: ShotDetail, beauty: PassId, motion: PassId, count: number): number[] {
  const framesOf = (id: PassId) => passes.find((p) => p.id === id)?.frames ?? null;
  const of = framesOf(beauty),
    moving = framesOf(motion);
  if (of === null) return [shot.firstFrame];
  const shared = of.filter((f) => moving === null || moving.includes(f)),
    between = shared.filter((f) => of.includes(f - 1) && of.includes(f + 1)),
    // Where there are few, any of them may turn out to be broken.
    list = between.length >= count ? between : [...between, ...shared.filter((f) => !between.includes(f))];
  const every = Math.max(1, list.length / count);
  return Array.from({ length: Math.min(list.length, count) }, (_, k) => list[Math.min(list.length - 1, Math.floor((k + 0.5) * every))]);
}

async function requestAt(db: Db, { passes, settings }: ShotDetail, beauty: PassId, motion: PassId, frame: number): Promise<FrameRequest> {
  const picture = (f: number) => pictureFileAt(db, beauty, f, { settings }),
    stored = (f: number) => passFileAt(db, motion, f, settings);
  const isOne = (id: PassId) => (passes.find((p) => p.id === id)?.frames ?? null) === null;
  return {
    frame,
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
  };
}
