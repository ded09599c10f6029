import path from 'node:path';
import {
  shotSettingsSchema,
  type PassId,
  type PictureChoice,
  type Role,
  type SequenceId,
  type ShotId,
  type ShotSettings,
} from '@ivrex/contract';
import { type AlphaMeasure, guessRole, heightOf, IvrexError, widthOf, type BlurMeasure, type RoleGuess } from '@ivrex/core';
import { describeFolder, frameFile, usualReading, type FoundFolder, type FoundPass, type FoundSequence } from '@ivrex/media';
import type { Db } from '../db/database';
import { findShotByFolder } from '../db/queries/find-shot-by-folder';
import { insertFirstState } from '../db/queries/insert-first-state';
import { listPasses } from '../db/queries/list-passes';
import { markAbsent } from '../db/queries/mark-absent';
import { moveToState } from '../db/queries/move-to-state';
import { movePartsOfLayers } from '../db/queries/move-parts-of-layers';
import { updateShotLook } from '../db/queries/update-shot-look';
import { upsertPass, type PassFacts } from '../db/queries/upsert-pass';
import { upsertSequence } from '../db/queries/upsert-sequence';
import { upsertShot } from '../db/queries/upsert-shot';
import { madeSequences, shotSignature } from './made-folders';
import { assertInsideMedia } from './media-folders';
import type { LayerMeasures } from './folder-looks';
import { measureSequences } from './measures';
import type { Resources } from './resources';
import { refreshFindings } from './shots';

type BringInServices = Pick<Resources, 'database' | 'config' | 'pool' | 'looks'>;

/**
 * Makes a shot of a folder's sequences, or looks again at a known one. Files are read in place and never altered; what the artist
 * decided about a known shot stays. Looks at one folder follow one another. @throws IvrexError forbidden, missingFile, notAnImage
 */
export async function bringIn(services: BringInServices, folder: string, { force = false } = {}): Promise<ShotId> {
  const real = await assertInsideMedia(services.config.mediaFolders, folder);
  return services.looks.inTurn(real, () => look(services, real, force));
}

/** A known folder that has not changed is not looked at again, unless that is forced. */
async function look({ database, pool, looks, config }: BringInServices, folder: string, force: boolean): Promise<ShotId> {
  const known = await findShotByFolder(database, folder);
  const signature = await shotSignature(config, folder, known?.id ?? null);
  if (known !== null && known.signature === signature && !force) return known.id;
  const found = await describeFolder(folder, looks.files);
  if (found.sequences.length === 0) {
    const first = found.unreadable[0];
    throw first === undefined
      ? new IvrexError('missingFile', 'there are no pictures in this folder (EXR, TIFF, PNG, JPEG, DPX or movies)', folder)
      : new IvrexError(first.error.code, `no file of this folder can be read; ${first.name}: ${first.error.message}`, folder);
  }
  const made = known === null ? [] : await madeSequences(config, known.id, looks.files);
  found.sequences.push(...made);
  const measures = await measureSequences({ pool, looks }, found.sequences);
  const facts = factsOfPasses(found.sequences, measures);
  const beautyBlur = await blurInBeauty({ pool }, facts);
  return database.transaction(async (db) => {
    const shotId = await upsertShot(db, shotFacts(folder, found, facts));
    const thereSequences: SequenceId[] = [],
      therePasses: PassId[] = [];
    for (const sequence of found.sequences) {
      const id = await upsertSequence(db, shotId, sequence);
      thereSequences.push(id);
      await movePartsOfLayers(db, id, sequence.passes);
      for (const pass of facts.filter((f) => f.sequence === sequence)) therePasses.push(await upsertPass(db, id, pass));
    }
    await markAbsent(db, shotId, thereSequences, therePasses);
    await updateShotLook(db, shotId, { unreadable: found.unreadable, beautyBlur, signature });
    if (await insertFirstState(db, shotId, await firstSettings(db, shotId))) await moveToState(db, shotId, 1);
    await refreshFindings(db, shotId);
    return shotId;
  });
}

interface SequencePass extends PassFacts {
  readonly sequence: FoundSequence;
}

function factsOfPasses(
  sequences: readonly FoundSequence[],
  measures: ReadonlyMap<FoundSequence, readonly LayerMeasures[]>,
): SequencePass[] {
  return sequences.flatMap((sequence) =>
    sequence.passes.map((found) => {
      const ofLayer = (measures.get(sequence) ?? []).flatMap((frame) =>
        frame.filter((m) => m.part === found.part && m.layer === found.layer).map((m) => m.measure),
      );
      return {
        sequence,
        found,
        part: sequence.header.parts[found.part],
        measures: ofLayer,
        guess: guessOf(sequence, found, ofLayer[0] ?? null),
        usual: usualReading(sequence.header, found.part, softestOf(ofLayer)) as PictureChoice,
      };
    }),
  );
}

/** Of the measured frames the one with most soft edges. */
function softestOf(measures: PassFacts['measures']): AlphaMeasure | null {
  const found = measures.flatMap(({ alpha }) => alpha ?? []);
  return found.length === 0 ? null : found.reduce((a, b) => (b.partialShare > a.partialShare ? b : a));
}

function guessOf(
  sequence: FoundSequence,
  { layer, channels, cryptomatte }: FoundPass,
  measure: PassFacts['measures'][number] | null,
): RoleGuess {
  return guessRole({ file: sequence.name, layer, channels, cryptomatte, movie: sequence.header.format === 'movie' }, measure);
}

/** The surest pass of a role, a whole sequence before a few frames. */
function bestOf(passes: readonly SequencePass[], role: Role): SequencePass | null {
  const fitting = passes.filter((p) => p.guess.role === role);
  return fitting.reduce<SequencePass | null>(
    (best, p) =>
      best === null ||
      p.guess.sure > best.guess.sure + 0.05 ||
      (Math.abs(p.guess.sure - best.guess.sure) <= 0.05 && p.sequence.sequence.frames.length > best.sequence.sequence.frames.length)
        ? p
        : best,
    null,
  );
}

/** Measured on a frame that beauty and motion share. */
async function blurInBeauty({ pool }: Pick<Resources, 'pool'>, passes: readonly SequencePass[]): Promise<BlurMeasure | null> {
  const beauty = bestOf(passes, 'beauty');
  const motion = passes.find((p) => p.guess.role === 'motion' && p.sequence === beauty?.sequence) ?? bestOf(passes, 'motion');
  if (beauty === null || motion === null) return null;
  const whole = (p: SequencePass, frame: number) =>
    p.sequence.sequence.frames.includes(frame) && !p.sequence.broken.some((b) => b.frame === frame);
  const shared = beauty.sequence.sequence.frames.filter((f) => whole(beauty, f) && whole(motion, f));
  const frame = shared.length > 0 ? shared[Math.floor(shared.length / 2)] : null;
  if (frame === null && (beauty.sequence.sequence.frames.length > 0 || motion.sequence.sequence.frames.length > 0)) return null;
  const file = (p: SequencePass) => ({ file: frameFile(p.sequence.sequence.pattern, frame), part: p.found.part, layer: p.found.layer });
  try {
    return await pool.run<'beautyBlur'>({
      kind: 'beautyBlur',
      beauty: file(beauty),
      motion: file(motion),
    });
  } catch (error) {
    // A frame that can't be read has a finding of its own.
    if (error instanceof IvrexError) return null;
    throw error;
  }
}

/** The beauty's sequence decides size, range and rate. */
function shotFacts(folder: string, found: FoundFolder, passes: readonly SequencePass[]) {
  const beauty = bestOf(passes, 'beauty') ?? passes.find((p) => p.guess.role === 'plate') ?? passes[0];
  const { displayWindow } = beauty.part;
  const { frames } = beauty.sequence.sequence;
  const range = frames.length > 0 ? frames : [1];
  return {
    name: path.basename(folder),
    folder,
    firstFrame: range[0],
    lastFrame: range[range.length - 1],
    fps: beauty.sequence.fps ?? found.sequences.find((s) => s.fps !== null)?.fps ?? null,
    width: widthOf(displayWindow),
    height: heightOf(displayWindow),
  };
}

async function firstSettings(db: Db, shotId: ShotId): Promise<ShotSettings> {
  const passes = await listPasses(db, shotId, { offsets: {} });
  const roles: Record<string, Role> = Object.fromEntries(passes.map((pass) => [pass.id, pass.guess.role]));
  const surest = (role: Role) =>
    passes
      .filter((p) => roles[p.id] === role)
      .sort((a, b) => b.guess.sure - a.guess.sure || (b.frames?.length ?? 0) - (a.frames?.length ?? 0))[0] ?? null;
  const beauty = surest('beauty');
  // Data beside the beauty in one file belongs to it more surely than data of another file.
  const first = (role: Role): PassId | null =>
    (passes.find((p) => roles[p.id] === role && p.sequenceId === beauty?.sequenceId) ?? surest(role))?.id ?? null;
  const element = {
    name: beauty?.name ?? 'Element',
    beauty: beauty?.id ?? null,
    motion: first('motion'),
    depth: first('depth'),
    ids: first('ids'),
    encoding: null,
    shutter: null,
  };
  // A movie counts from 1; as a plate it starts with the beauty.
  const start = beauty?.frames?.[0] ?? 1;
  const offsets = Object.fromEntries(passes.filter((p) => p.format === 'movie').map((p) => [p.sequenceId, 1 - start]));
  return shotSettingsSchema.parse({
    version: 1,
    roles,
    elements: [element],
    shutter: { opens: -0.25, closes: 0.25, strength: 1 },
    path: 'auto',
    samples: 'auto',
    displayTransform: 'srgb',
    offsets,
  });
}
