import type { Sides } from '../model/box';
import type { Surfaces } from '../surfaces/surfaces';
import type { FrameLook } from './frame-look';

/** By surface: how far outside the picture it is now, of what neighbouring frames show of its object; no farther than anything moves. */
export function enteringSides(surfaces: Surfaces, looks: readonly FrameLook[], longestPx: number): Map<number, Sides> {
  return enteringSurfaces(surfaces, enteringObjects(looks, longestPx));
}

/** An object comes in as its largest surface: the crumbs of a torn one do not all search the whole picture. */
function enteringSurfaces({ of, count, idOf }: Surfaces, objects: ReadonlyMap<number, Sides>): Map<number, Sides> {
  const sizes = new Int32Array(count),
    largest = new Map<number, number>(),
    out = new Map<number, Sides>();
  for (let i = 0; i < of.length; i++) if (of[i] >= 0) sizes[of[i]]++;
  for (let s = 0; s < count; s++) if (sizes[s] > (sizes[largest.get(idOf[s]) ?? -1] ?? 0)) largest.set(idOf[s], s);
  for (const [id, sides] of objects) {
    const surface = largest.get(id);
    if (surface !== undefined) out.set(surface, sides);
  }
  return out;
}

/** How far outside the picture now lies what neighbouring frames show of each object; no farther than anything moves. */
function enteringObjects(looks: readonly FrameLook[], longestPx: number): Map<number, Sides> {
  const out = new Map<number, { left: number; top: number; right: number; bottom: number }>();
  const farthest = Math.ceil(longestPx);
  for (const { passes, back } of looks) {
    const { motion, ids } = passes,
      { width, height, valid } = motion;
    if (ids === null) continue;
    for (let i = 0, column = 0, row = 0; i < valid.length; i++, column++) {
      if (column === width) {
        column = 0;
        row++;
      }
      const x = column + back[i * 2],
        y = row + back[i * 2 + 1];
      if (x >= 0 && y >= 0 && x <= width - 1 && y <= height - 1) continue;
      if (valid[i] === 0 || ids[i] === 0) continue;
      let sides = out.get(ids[i]);
      if (sides === undefined) out.set(ids[i], (sides = { left: 0, top: 0, right: 0, bottom: 0 }));
      sides.left = Math.min(farthest, Math.max(sides.left, Math.ceil(-x)));
      sides.top = Math.min(farthest, Math.max(sides.top, Math.ceil(-y)));
      sides.right = Math.min(farthest, Math.max(sides.right, Math.ceil(x - width + 1)));
      sides.bottom = Math.min(farthest, Math.max(sides.bottom, Math.ceil(y - height + 1)));
    }
  }
  return out;
}
