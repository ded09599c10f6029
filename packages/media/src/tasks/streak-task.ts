import {
  combineStreaks,
  findStreaks,
  lumaAt,
  measureStreak,
  orNull,
  type Place,
  type PlateLight,
  type StreakMeasure,
  type StreakRefusal,
} from '@ivrex/core';
import { loadPicture } from '../frames/load-picture';
import type { PictureFile } from '../frames/pass-files';
import type { NodeHost } from '../host/node-host';

export interface StreakRequest {
  readonly previous: PictureFile | null;
  readonly now: PictureFile;
  readonly next: PictureFile | null;
  /** Lines that were drawn along streaks; null: they are looked for. */
  readonly lines: readonly { readonly from: Place; readonly to: Place }[] | null;
}

export interface StreakResult {
  readonly streaks: readonly (StreakMeasure | StreakRefusal)[];
  readonly combined: { readonly angleDeg: number; readonly errorDeg: number } | null;
}

/** The shutter angle from streaks of a plate. @throws IvrexError about the plate's file */
export async function measureStreaks({ previous, now, next, lines }: StreakRequest, host: NodeHost): Promise<StreakResult> {
  const picture = await loadPicture(now, host);
  const { width, height } = picture;
  const beside = async (file: PictureFile | null): Promise<Float32Array | null> => {
    // A neighbour that can't be read, or has another size, is done without.
    const there = file === null ? null : await orNull(() => loadPicture(file, host));
    return there === null || there.width !== width || there.height !== height ? null : lightOf(there.rgba);
  };
  const plate: PlateLight = { width, height, previous: await beside(previous), now: lightOf(picture.rgba), next: await beside(next) };
  const streaks = lines === null ? findStreaks(plate) : lines.map(({ from, to }) => measureStreak(plate, from, to));
  return { streaks, combined: combineStreaks(streaks.flatMap((s) => ('refused' in s ? [] : [s]))) };
}

function lightOf(rgba: Float32Array): Float32Array {
  const out = new Float32Array(rgba.length / 4);
  for (let i = 0; i < out.length; i++) {
    const v = lumaAt(rgba, i);
    out[i] = Number.isFinite(v) ? v : 0;
  }
  return out;
}
