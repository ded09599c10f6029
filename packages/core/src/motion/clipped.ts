import type { SampleType } from '../raster/image';
import type { StoredMotion } from './decode';
import type { Encoding } from './encoding';

/** Pixels of a motion pass whose value ran into the end of the range. */
export interface ClippedPixels {
  readonly mask: Uint8Array;
  readonly count: number;
}

/** So many pixels at one extreme value are a wall in a float pass; fewer may just be the fastest ones. */
const WALL = 24,
  WALL_SHARE = 0.002;

/**
 * Whole numbers are clipped at their first and last code. Floats are clipped where many pixels share the lowest or the highest value.
 * The value for no motion and the value for no vector are none of these; black holes under a centred zero are, as nothing tells them apart.
 */
export function clippedPixels(stored: StoredMotion, encoding: Encoding, types: ReadonlyMap<string, SampleType>): ClippedPixels {
  const count = stored.width * stored.height;
  const mask = new Uint8Array(count);
  for (const set of encoding.sets) {
    // With a length, direction can't clip.
    const names = set.length === null ? [set.x, set.y] : [set.length];
    const planes = names.map((name) => planeNamed(stored, name));
    for (const [at, plane] of planes.entries()) {
      if (plane === null) continue;
      const type = types.get(names[at]) ?? 'float';
      const walls = type === 'u8' || type === 'u16' ? [0, 1] : wallsOf(plane, encoding);
      for (const wall of walls) {
        if (
          Math.abs(wall - restValue(encoding, set.length !== null)) < 1e-6 ||
          (encoding.noData !== null && Math.abs(wall - encoding.noData) < 1e-6)
        )
          continue;
        for (let i = 0; i < count; i++) {
          if (plane[i] === wall) mask[i] = 1;
        }
      }
    }
  }
  return { mask, count: mask.reduce((n, v) => n + v, 0) };
}

/** What stands still is stored as this, when no curve lies on it; a length of nothing is 0. */
function restValue({ zero }: Encoding, isLength: boolean): number {
  return isLength ? 0 : zero;
}

function wallsOf(plane: Float32Array, { zero, noData }: Encoding): number[] {
  let low = Infinity,
    high = -Infinity;
  for (let i = 0; i < plane.length; i++) {
    const v = plane[i];
    if (v - v !== 0 || v === noData) continue;
    if (v < low) low = v;
    if (v > high) high = v;
  }
  return [low, high].filter((wall) => {
    if (!Number.isFinite(wall) || wall === zero) return false;
    let at = 0,
      moving = 0;
    for (let i = 0; i < plane.length; i++) {
      if (plane[i] === wall) at++;
      if (plane[i] !== zero) moving++;
    }
    return at >= WALL && at > WALL_SHARE * moving && at < 0.5 * moving;
  });
}

function planeNamed({ planes }: StoredMotion, name: string): Float32Array | null {
  return planes.get(name) ?? planes.get(name.slice(name.lastIndexOf('.') + 1)) ?? null;
}
