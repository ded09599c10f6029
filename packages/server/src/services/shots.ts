import { focusOn, type ElementId, type ShotDetail, type ShotId, type ShotSettings, type ShotSummary } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import type { Db } from '../db/database';
import { appendState } from '../db/queries/append-state';
import { listAbsent } from '../db/queries/list-absent';
import { listFindings } from '../db/queries/list-findings';
import { findShotLook } from '../db/queries/find-shot-look';
import { listMeasuredPasses, listPasses } from '../db/queries/list-passes';
import { listSequenceRows } from '../db/queries/list-sequences';
import { replaceFindings } from '../db/queries/replace-findings';
import { listShots, type ShotRow } from '../db/queries/list-shots';
import { listStateLabels } from '../db/queries/list-state-labels';
import { lockShotState } from '../db/queries/lock-shot-state';
import { moveToState } from '../db/queries/move-to-state';
import { findingsOf } from './findings';
import type { Resources } from './resources';

function summary(row: ShotRow): ShotSummary {
  const [element] = row.settings.elements;
  const step = row.delivered
    ? 'deliver'
    : element.encoding !== null
      ? 'shutter'
      : element.motion !== null && element.beauty !== null && row.settings.rolesAgreed
        ? 'motion'
        : 'passes';
  const { id, name, folder, firstFrame, lastFrame, width, height, openFindings, delivery } = row;
  const fps = row.settings.fps ?? row.fps;
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
    delivery,
    changedAt: row.changedAt.toISOString(),
    thumbnailPass: element.beauty,
    posterFrame: row.posterFrame ?? row.firstFrame,
  };
}

export async function shotSummaries({ database }: Pick<Resources, 'database'>): Promise<ShotSummary[]> {
  return (await listShots(database)).map(summary);
}

/** With an element its settings have that one first: see `focusOn`. They are for reading then, not for keeping. @throws IvrexError notFound */
export async function shotDetail(db: Db, shotId: ShotId, element: ElementId | null = null): Promise<ShotDetail> {
  const [row] = await listShots(db, shotId);
  if (row === undefined) throw notFound();
  const labels = await listStateLabels(db, shotId);
  const current = labels.findIndex((label) => label.current);
  return {
    shot: summary(row),
    passes: await listPasses(db, shotId, row.settings),
    findings: await listFindings(db, shotId),
    settings: focusOn(row.settings, element),
    look: (await findShotLook(db, shotId))?.signature ?? '',
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
  { database }: Pick<Resources, 'database'>,
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
    await refreshFindings(db, shotId);
    return shotDetail(db, shotId);
  });
}

/** Works the findings out anew from what is known and what is decided. Belongs into the transaction that changes either. */
export async function refreshFindings(db: Db, shotId: ShotId): Promise<void> {
  const [row] = await listShots(db, shotId);
  const look = await findShotLook(db, shotId);
  if (row === undefined || look === null) return;
  const findings = findingsOf({
    sequences: await listSequenceRows(db, shotId),
    passes: await listMeasuredPasses(db, shotId, row.settings),
    absent: await listAbsent(db, shotId),
    unreadable: look.unreadable,
    beautyBlur: look.beautyBlur,
    settings: row.settings,
  });
  await replaceFindings(db, shotId, findings);
}

/** Steps through the kept states. At either end nothing happens. */
export function stepState(services: Pick<Resources, 'database'>, shotId: ShotId, by: 1 | -1): Promise<ShotDetail> {
  return moveState(services, shotId, (current) => current + by);
}

/** Goes to a kept state; those after it can be done again. A number that is gone changes nothing. */
export async function moveState(
  { database }: Pick<Resources, 'database'>,
  shotId: ShotId,
  to: (current: number) => number,
): Promise<ShotDetail> {
  return database.transaction(async (db) => {
    const current = await lockShotState(db, shotId);
    if (current === null) throw notFound();
    await moveToState(db, shotId, to(current));
    await refreshFindings(db, shotId);
    return shotDetail(db, shotId);
  });
}
