import path from 'node:path';
import type { Element, Finding, Role, SequenceId, ShotId, ShotSettings } from '@ivrex/contract';
import { guessRole, heightOf, IvrexError, widthOf } from '@ivrex/core';
import { describeFolder, type FoundFolder, type FoundSequence } from '@ivrex/media';
import type { Db } from '../db/database';
import { deleteGoneSequences } from '../db/queries/delete-gone-sequences';
import { insertFirstState } from '../db/queries/insert-first-state';
import { listPasses } from '../db/queries/list-passes';
import { moveToState } from '../db/queries/move-to-state';
import { replaceFindings } from '../db/queries/replace-findings';
import { upsertPass } from '../db/queries/upsert-pass';
import { upsertSequence } from '../db/queries/upsert-sequence';
import { upsertShot } from '../db/queries/upsert-shot';
import { assertInsideMedia } from './media-folders';
import type { Services } from './services';

/**
 * Makes a shot of a folder's sequences, or looks again at a known one. Files are read in place and never altered; what the artist
 * decided about a known shot stays. @throws IvrexError forbidden, missingFile, notAnImage
 */
export async function bringIn({ database, config }: Pick<Services, 'database' | 'config'>, folder: string): Promise<ShotId> {
  const real = await assertInsideMedia(config.mediaFolders, folder);
  const found = await describeFolder(real);
  if (found.sequences.length === 0) {
    const first = found.unreadable[0];
    throw first === undefined
      ? new IvrexError('missingFile', 'there are no EXR files in this folder', real)
      : new IvrexError(first.error.code, `no file of this folder can be read; ${first.name}: ${first.error.message}`, real);
  }
  return database.transaction(async (db) => {
    const shotId = await upsertShot(db, factsOf(real, found));
    const kept = new Map<string, SequenceId>();
    for (const sequence of found.sequences) {
      const id = await upsertSequence(db, shotId, sequence);
      kept.set(sequence.name, id);
      for (const pass of sequence.passes)
        await upsertPass(db, id, pass, sequence.header.parts[pass.part], guessRole({ file: sequence.name, ...pass }));
    }
    await deleteGoneSequences(db, shotId, [...kept.values()]);
    await replaceFindings(db, shotId, findingsOf(found, kept));
    if (await insertFirstState(db, shotId, await firstSettings(db, shotId))) await moveToState(db, shotId, 1);
    return shotId;
  });
}

/** The beauty's sequence decides size, range and rate. */
function mainSequence(found: FoundFolder): FoundSequence {
  return found.sequences.find((s) => s.passes.some((p) => guessRole({ file: s.name, ...p }).role === 'beauty')) ?? found.sequences[0];
}

function factsOf(folder: string, found: FoundFolder) {
  const main = mainSequence(found);
  const window = main.header.parts[0].displayWindow;
  const frames = main.sequence.frames.length > 0 ? main.sequence.frames : [1];
  return {
    name: path.basename(folder),
    folder,
    firstFrame: frames[0],
    lastFrame: frames[frames.length - 1],
    fps: main.fps,
    width: widthOf(window),
    height: heightOf(window),
  };
}

function findingsOf(found: FoundFolder, ids: ReadonlyMap<string, SequenceId>): Finding[] {
  const findings: Finding[] = [];
  const add = (severity: Finding['severity'], message: string, sequence: FoundSequence | null, frame: number | null) =>
    findings.push({ severity, message, frame, sequenceId: sequence === null ? null : (ids.get(sequence.name) ?? null) });
  const main = mainSequence(found),
    size = main.header.parts[0].displayWindow;
  for (const { name, error } of found.unreadable) add('error', `${name} is left out: ${error.message}.`, null, null);
  for (const sequence of found.sequences) {
    for (const { frame, error } of sequence.broken)
      add('error', `${sequence.name}${frame === null ? '' : `, frame ${frame}`}: ${error.message}.`, sequence, frame);
    const { missing } = sequence.sequence;
    const isReference = sequence.passes.some((p) => guessRole({ file: sequence.name, ...p }).role === 'reference');
    if (missing.length > 0)
      add(
        isReference ? 'info' : 'warning',
        `${sequence.name}: ${missing.length === 1 ? 'frame' : 'frames'} ${listFrames(missing)} ${missing.length === 1 ? 'is' : 'are'} missing${isReference ? '; a reference may have single frames' : '; the others can be used'}.`,
        sequence,
        missing[0],
      );
    sequence.header.parts.forEach(({ displayWindow: w }) => {
      if (widthOf(w) !== widthOf(size) || heightOf(w) !== heightOf(size))
        add(
          'warning',
          `${sequence.name} is ${widthOf(w)} x ${heightOf(w)}, the beauty ${widthOf(size)} x ${heightOf(size)}; data is scaled to the beauty, vectors with it.`,
          sequence,
          null,
        );
    });
    if (sequence.fps !== null && main.fps !== null && sequence.fps !== main.fps)
      add('warning', `${sequence.name} says ${sequence.fps} frames per second, the beauty ${main.fps}.`, sequence, null);
  }
  if (main.fps === null) add('info', `${main.name} does not say its frame rate; it plays at 24.`, main, null);
  return findings;
}

/** "1003, 1007 to 1010". */
export function listFrames(frames: readonly number[]): string {
  const runs: string[] = [];
  for (let i = 0; i < frames.length;) {
    let j = i;
    while (j + 1 < frames.length && frames[j + 1] === frames[j] + 1) j++;
    runs.push(j === i ? `${frames[i]}` : `${frames[i]} to ${frames[j]}`);
    i = j + 1;
  }
  return runs.length > 8 ? `${runs.slice(0, 8).join(', ')} and more` : runs.join(', ');
}

async function firstSettings(db: Db, shotId: ShotId): Promise<ShotSettings> {
  const passes = await listPasses(db, shotId);
  const roles: Record<string, Role> = Object.fromEntries(passes.map((pass) => [pass.id, pass.guess.role]));
  const beauty = passes.find((p) => roles[p.id] === 'beauty') ?? null;
  // Data beside the beauty in one file belongs to it more surely than data of another file.
  const first = (role: Role) =>
    (passes.find((p) => roles[p.id] === role && p.sequenceId === beauty?.sequenceId) ?? passes.find((p) => roles[p.id] === role))?.id ??
    null;
  const element: Element = {
    name: beauty?.name ?? 'Element',
    beauty: beauty?.id ?? null,
    motion: first('motion'),
    depth: first('depth'),
    ids: first('ids'),
    encoding: null,
    shutter: null,
  };
  return {
    version: 1,
    roles,
    elements: [element],
    shutter: { opens: -0.25, closes: 0.25, strength: 1 },
    path: 'auto',
    samples: 'auto',
    displayTransform: 'srgb',
  };
}
