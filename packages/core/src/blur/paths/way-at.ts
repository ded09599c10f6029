import { NODE_FLOATS, type PathGrid } from '@ivrex/kernels/interface';
import { FLOW_NUMBERS, travelOf } from './affine-path';

const flow = new Float64Array(FLOW_NUMBERS);

/** Where the path of a pixel leads at time t (frames), from the node beside it. Writes x and y of the way; false outside the grid. */
export function wayAt(path: PathGrid, isArc: boolean, x: number, y: number, t: number, out: Float64Array): boolean {
  const nx = Math.round((x - path.x0) / path.stepPx),
    ny = Math.round((y - path.y0) / path.stepPx);
  if (!(nx >= 0 && ny >= 0 && nx < path.across && ny < path.down)) return false;
  const node = (ny * path.across + nx) * path.orders * NODE_FLOATS;
  for (let k = 0; k < FLOW_NUMBERS; k++) {
    let sum = 0;
    for (let at = node + (path.orders - 1) * NODE_FLOATS + k; at >= node; at -= NODE_FLOATS) sum = (sum + path.nodes[at]) * t;
    flow[k] = sum;
  }
  const ox = x - path.x0 - nx * path.stepPx,
    oy = y - path.y0 - ny * path.stepPx;
  flow[0] += flow[2] * ox + flow[3] * oy;
  flow[1] += flow[4] * ox + flow[5] * oy;
  if (isArc) travelOf(flow, 0, out);
  else {
    out[0] = flow[0];
    out[1] = flow[1];
  }
  return true;
}
