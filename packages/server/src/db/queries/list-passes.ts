import { passSchema, type Pass, type ShotId, type ShotSettings } from '@ivrex/contract';
import type { ChannelMeasure, PassMeasure } from '@ivrex/core';
import type { Db } from '../database';

/** A pass with what its pixels say, one measure a frame that was looked at. */
export interface MeasuredPass {
  readonly pass: Pass;
  readonly measures: readonly PassMeasure[];
}

interface Row {
  readonly sequenceId: string;
  readonly layer: string;
  readonly file: string;
  readonly frames: readonly number[] | null;
  readonly missing: readonly number[];
  readonly measures: readonly PassMeasure[];
}

/** All passes of a shot; frames are in the shot's numbering, offsets applied. */
export async function listMeasuredPasses(db: Db, shotId: ShotId, settings: Pick<ShotSettings, 'offsets'>): Promise<MeasuredPass[]> {
  const { rows } = await db.query<Row & Record<string, unknown>>(
    `SELECT p.id, p.sequence_id AS "sequenceId", s.name AS file, s.format, p.part, p.layer, p.channels, p.width, p.height, p.pixel_aspect AS "pixelAspect", p.compression,
       CASE WHEN s.pattern->>'padding' IS NULL AND s.pattern->>'movieFrames' IS NULL THEN NULL ELSE s.frames END AS frames,
       s.missing, s.fps, s.facts, p.guess, p.cryptomatte, p.usual, p.measures
     FROM passes p JOIN sequences s ON s.id = p.sequence_id WHERE s.shot_id = $1 AND p.looks_absent = 0 ORDER BY s.name, p.part, p.layer`,
    [shotId],
  );
  return rows.map((row) => {
    const offset = settings.offsets[row.sequenceId] ?? 0;
    const shift = (frames: readonly number[]) => (offset === 0 ? frames : frames.map((f) => f - offset));
    const pass = passSchema.parse({
      ...row,
      name: row.layer === '' ? row.file.replace(/^.*\//, '').replace(/[._-]*#*\.\w+$/, '') : row.layer,
      frames: row.frames === null ? null : shift(row.frames),
      missing: shift(row.missing),
      offset,
      ranges: rangesOf(row.measures),
    });
    return { pass, measures: row.measures };
  });
}

export async function listPasses(db: Db, shotId: ShotId, settings: Pick<ShotSettings, 'offsets'>): Promise<Pass[]> {
  return (await listMeasuredPasses(db, shotId, settings)).map(({ pass }) => pass);
}

function rangesOf(measures: readonly PassMeasure[]): Pass['ranges'] {
  if (measures.length === 0) return null;
  return measures[0].channels.map(({ name, rest }) => {
    const all = measures.flatMap((m) => m.channels.filter((c) => c.name === name));
    const bound = (pick: (c: ChannelMeasure) => number | null, choose: (...v: number[]) => number) => {
      const values = all.map(pick).filter((v) => v !== null);
      return values.length === 0 ? null : choose(...values);
    };
    return { name, rest, min: bound((c) => c.min, Math.min), max: bound((c) => c.max, Math.max) };
  });
}
