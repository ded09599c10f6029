import type { SampleType } from '../../raster/image';
import type { StoredMotion } from '../encoding/decode';
import { named, type Encoding } from '../encoding/encoding';
import { transferPair } from '../../colour/transfer';
import { countStuck, isEnd } from './walls';

/** Bits of `ClippedPixels.mask`: which component of the vector ran into the end of the range. A length stands for both. */
export const CLIPPED_X = 1,
  CLIPPED_Y = 2;

/** Pixels of a motion pass whose value ran into the end of the range. */
export interface ClippedPixels {
  readonly mask: Uint8Array;
  readonly count: number;
}

/**
 * Whole numbers are clipped at their first and last code; every type also at a wall inside (`countStuck`), as a pass that was clipped
 * before it was stored has. The value for no motion and the value for no vector are neither; black holes under a centred zero are, as
 * nothing tells them apart.
 */
export function clippedPixels(stored: StoredMotion, encoding: Encoding, types: ReadonlyMap<string, SampleType>): ClippedPixels {
  const mask = new Uint8Array(stored.width * stored.height);
  for (const set of encoding.sets) {
    // With a length, direction can't clip.
    const channels =
      set.length === null
        ? ([
            [set.x, CLIPPED_X],
            [set.y, CLIPPED_Y],
          ] as const)
        : ([[set.length, CLIPPED_X | CLIPPED_Y]] as const);
    for (const [name, bit] of channels) {
      const plane = named(stored.planes, name);
      if (plane === undefined) continue;
      const type = named(types, name) ?? 'float';
      for (const wall of wallsOf(plane, stored.width, type, stillValues(encoding, set.length !== null)))
        for (let i = 0; i < plane.length; i++) if (plane[i] === wall) mask[i] |= bit;
    }
  }
  return { mask, count: mask.reduce((n, v) => n + (v === 0 ? 0 : 1), 0) };
}

function wallsOf(data: Float32Array, width: number, type: SampleType, still: readonly number[]): number[] {
  const isWhole = type === 'u8' || type === 'u16';
  // A rest value between two codes is stored as one of them.
  const near = isWhole ? 0.51 / (type === 'u8' ? 255 : 65535) : 1e-6;
  const isStill = (v: number) => still.some((s) => Math.abs(v - s) <= near);
  let low = Infinity,
    high = -Infinity;
  for (let i = 0; i < data.length; i++) {
    const v = data[i];
    if (v - v !== 0 || isStill(v)) continue;
    if (v < low) low = v;
    if (v > high) high = v;
  }
  if (high < low) return [];
  const question = { data, width, type, range: high - low, isStill };
  return [low, high].filter((v) => isEnd(v, type) || countStuck(v, question) > 0);
}

/** What stands still is stored as this, through the curve; a length of nothing is 0. And what means no vector. */
function stillValues({ zero, noData, transfer }: Encoding, isLength: boolean): number[] {
  return [isLength ? 0 : transferPair(transfer).apply(zero), ...(noData === null ? [] : [noData])];
}
