import { NODE_FLOATS, type PathGrid } from '@ivrex/kernels/interface';
import { FLOW_NUMBERS, phi, travelOf } from './affine-path';

const flow = new Float64Array(FLOW_NUMBERS);

/** A node's flow at time t (frames). */
function flowAt({ nodes, orders }: PathGrid, node: number, t: number): void {
  const first = node * orders * NODE_FLOATS;
  for (let k = 0; k < FLOW_NUMBERS; k++) {
    let sum = 0;
    for (let at = first + (orders - 1) * NODE_FLOATS + k; at >= first; at -= NODE_FLOATS) sum = (sum + nodes[at]) * t;
    flow[k] = sum;
  }
}

/** Where the path of a pixel leads at time t (frames), from the node beside it. Writes x and y of the way; false outside the grid. */
export function wayAt(path: PathGrid, isArc: boolean, x: number, y: number, t: number, out: Float64Array): boolean {
  const nx = Math.round((x - path.x0) / path.stepPx),
    ny = Math.round((y - path.y0) / path.stepPx);
  if (!(nx >= 0 && ny >= 0 && nx < path.across && ny < path.down)) return false;
  flowAt(path, ny * path.across + nx, t);
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

/** By node: x and y of its way, and how they change with the offset from it (xx, xy, yx, yy). */
const WAY_NUMBERS = 6;

/** `wayAt` for one time and many pixels: what the pixels around a node share is worked out once. */
export class WaysAt {
  private readonly ways: Float64Array;
  private readonly isKnown: Uint8Array;

  constructor(
    private readonly path: PathGrid,
    private readonly isArc: boolean,
    private readonly t: number,
  ) {
    this.isKnown = new Uint8Array(path.across * path.down);
    this.ways = new Float64Array(this.isKnown.length * WAY_NUMBERS);
  }

  at(x: number, y: number, out: Float64Array): boolean {
    const { x0, y0, stepPx, across, down } = this.path,
      nx = Math.round((x - x0) / stepPx),
      ny = Math.round((y - y0) / stepPx);
    if (!(nx >= 0 && ny >= 0 && nx < across && ny < down)) return false;
    const node = ny * across + nx,
      k = node * WAY_NUMBERS,
      { ways } = this;
    if (this.isKnown[node] === 0) this.find(node, k);
    const ox = x - x0 - nx * stepPx,
      oy = y - y0 - ny * stepPx;
    out[0] = ways[k] + ways[k + 2] * ox + ways[k + 3] * oy;
    out[1] = ways[k + 1] + ways[k + 4] * ox + ways[k + 5] * oy;
    return true;
  }

  /** The way is phi(L) (g + L o) for an arc, g + L o along a line. */
  private find(node: number, k: number): void {
    const { ways } = this;
    this.isKnown[node] = 1;
    flowAt(this.path, node, this.t);
    if (!this.isArc) {
      ways.set(flow, k);
      return;
    }
    phi(flow[2], flow[3], flow[4], flow[5], terms);
    // Its columns: g, and L's two.
    for (let column = 0; column < 3; column++) {
      const [x, y] = COLUMNS[column];
      ways[k + x] = terms[0] * flow[x] + terms[1] * flow[y];
      ways[k + y] = terms[2] * flow[x] + terms[3] * flow[y];
    }
  }
}

const terms = new Float64Array(4);
const COLUMNS = [
  [0, 1],
  [2, 4],
  [3, 5],
] as const;
