import type { Shutter } from '../../shutter/shutter';
import { reachFrames } from '../../shutter/shutter';
import type { BlurPlan } from '../model/blur-plan';
import { wayAt } from '../paths/way-at';

/** Steps in which a way is measured. */
const STEPS = 6;

const way = new Float64Array(2);

/**
 * The way of what is seen at a pixel: x, y at each of the times (frames, strength included), in picture pixels. Null where nothing is seen.
 * @param x,y a pixel inside the picture.
 */
export function samplePath(plan: BlurPlan, x: number, y: number, times: ArrayLike<number>): Float64Array | null {
  const layer = plan.layers.at(plan.layerOf[y * plan.width + x] - 1);
  if (plan.layerOf[y * plan.width + x] === 0 || layer === undefined) return null;
  const out = new Float64Array(times.length * 2);
  for (let k = 0; k < times.length; k++) {
    if (!wayAt(layer.path, plan.path === 'arc', x, y, times[k], way)) return null;
    out[k * 2] = x + way[0];
    out[k * 2 + 1] = y + way[1];
  }
  return out;
}

/** By pixel: how far what is seen there travels while the shutter is open, in pixels. */
export function pathLengths(plan: BlurPlan, shutter: Shutter): Float32Array {
  return measurePaths(plan, shutter, (path) => {
    let length = 0;
    for (let k = 2; k < path.length; k += 2) length += Math.hypot(path[k] - path[k - 2], path[k + 1] - path[k - 1]);
    return length;
  });
}

/** By pixel: how far its way leaves the straight line between its ends while the shutter is open, in pixels. */
export function pathBends(plan: BlurPlan, shutter: Shutter): Float32Array {
  return measurePaths(plan, shutter, (path) => {
    const last = path.length - 2,
      dx = path[last] - path[0],
      dy = path[last + 1] - path[1],
      length = Math.hypot(dx, dy);
    let most = 0;
    for (let k = 2; k < last; k += 2) {
      const ox = path[k] - path[0],
        oy = path[k + 1] - path[1];
      most = Math.max(most, length > 1e-6 ? Math.abs(ox * dy - oy * dx) / length : Math.hypot(ox, oy));
    }
    return most;
  });
}

function measurePaths(plan: BlurPlan, shutter: Shutter, measure: (path: Float64Array) => number): Float32Array {
  const { width, height } = plan,
    out = new Float32Array(width * height);
  if (reachFrames(shutter) === 0) return out;
  const times = Float64Array.from(
    { length: STEPS + 1 },
    (_, k) => shutter.strength * (shutter.opens + (k / STEPS) * (shutter.closes - shutter.opens)),
  );
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const path = samplePath(plan, x, y, times);
      if (path !== null) out[y * width + x] = measure(path);
    }
  }
  return out;
}
