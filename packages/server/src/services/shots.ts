import type { ShotDetail, ShotId, ShotSettings, ShotSummary } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import type { Db } from '../db/database';
import { appendState } from '../db/queries/append-state';
import { listFindings } from '../db/queries/list-findings';
import { listPasses } from '../db/queries/list-passes';
import { listShots, type ShotRow } from '../db/queries/list-shots';
import { listStateLabels } from '../db/queries/list-state-labels';
import { lockShotState } from '../db/queries/lock-shot-state';
import { moveToState } from '../db/queries/move-to-state';
import type { Services } from './services';

function summary(row: ShotRow): ShotSummary {
  const [element] = row.settings.elements;
  const step = row.delivered
    ? 'deliver'
    : element.encoding !== null
      ? 'shutter'
      : element.motion !== null && element.beauty !== null
        ? 'motion'
        : 'passes';
  const { id, name, folder, firstFrame, lastFrame, fps, width, height, openFindings } = row;
  return {
    id,
    name,
    folder,
    firstFrame,
    lastFrame,
    fps,
    width,
    height,
    openFindings,
    step,
    changedAt: row.changedAt.toISOString(),
    thumbnailPass: element.beauty,
  };
}

export async function shotSummaries({ database }: Pick<Services, 'database'>): Promise<ShotSummary[]> {
  return (await listShots(database)).map(summary);
}

/** @throws IvrexError notFound */
export async function shotDetail(db: Db, shotId: ShotId): Promise<ShotDetail> {
  const [row] = await listShots(db, shotId);
  if (row === undefined) throw notFound();
  const labels = await listStateLabels(db, shotId);
  const current = labels.findIndex((label) => label.current);
  return {
    shot: summary(row),
    passes: await listPasses(db, shotId),
    findings: await listFindings(db, shotId),
    settings: row.settings,
    state: {
      sequence: labels[current].sequence,
      label: labels[current].label,
      // What undoing takes back is the current state's own change.
      undo: current > 0 ? labels[current].label : null,
      redo: labels[current + 1]?.label ?? null,
    },
  };
}

function notFound(): IvrexError {
  return new IvrexError('notFound', 'there is no such shot; it may have been removed');
}

/** @throws IvrexError notFound, conflict when somebody changed the shot since `basedOn` */
export async function changeSettings(
  { database }: Pick<Services, 'database'>,
  shotId: ShotId,
  settings: ShotSettings,
  label: string,
  basedOn: number,
): Promise<ShotDetail> {
  return database.transaction(async (db) => {
    const current = await lockShotState(db, shotId);
    if (current === null) throw notFound();
    if (current !== basedOn)
      throw new IvrexError('conflict', 'the shot was changed in another window; this shows the newer state, please make the change again');
    await appendState(db, shotId, current, label, settings);
    await moveToState(db, shotId, current + 1);
    return shotDetail(db, shotId);
  });
}

/** Steps through the kept states. At either end nothing happens. */
export async function stepState({ database }: Pick<Services, 'database'>, shotId: ShotId, by: 1 | -1): Promise<ShotDetail> {
  return database.transaction(async (db) => {
    const current = await lockShotState(db, shotId);
    if (current === null) throw notFound();
    await moveToState(db, shotId, current + by);
    return shotDetail(db, shotId);
  });
}
