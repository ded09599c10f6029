import { NODE_FLOATS, NODE_PX, type Box, type PathGrid } from '@ivrex/kernels/interface';
import { FIT_NUMBERS, GRADIENT, NOTHING, ROUGH_GRADIENT } from './affine-fit';
import { FLOW_NUMBERS, lengthOf } from './affine-path';
import { coarserNodes, type NodeEnds } from './coarse-nodes';
import { chainEnds, type FarEnds } from './chain-ends';
import { fillBetween, fitGrid } from './fit-grid';
import { nearestMember } from '../../raster/nearest';
import { ENDS, writeEnds, type Nodes, type PathStudy, type SurfacePath } from './path-study';
import { speckPath } from './speck-path';
import { sharedFloats } from '../model/shared-floats';

/**
 * The ways of one surface over a box: fitted where it is seen, carried on along its own flow from the nearest such place elsewhere
 * (`key`: its number in `study.field`).
 */
export function surfacePath(study: PathStudy, key: number, seen: Box, box: Box): SurfacePath {
  const speck = speckPath(study, key, seen, box);
  if (speck !== null) return speck;
  const { nodes, own, steady, ends } = coarserNodes(fittedEnds(study, key, seen, nodesOver(box)));
  const nearest = nearestMember(own, nodes.across, nodes.down);
  const far = study.model === 'straight' ? null : chainEnds(study, study.idOf[key] ?? 0, own, steady, ends, nodes);
  return { grid: blendEnds(study.model, nodes, nearest, ends, far), nearest, depth: depthOfNodes(study, key, own, nodes), seat: null };
}

/** Where the surface is seen, both ends of the path at each node. */
function fittedEnds(study: PathStudy, key: number, seen: Box, nodes: Nodes): NodeEnds {
  const { told, fits, between } = fitGrid(study, key, seen, nodes);
  borrowGradients(told, fits, nodes);
  const own = told.map((t) => (t === NOTHING ? 0 : 1));
  // A fit is as long as a flow: it is turned into one where it lies.
  const ends = fits,
    steady = new Uint8Array(own.length);
  for (let n = 0; n < own.length; n++) steady[n] = between[n] === 1 || (own[n] === 1 && writeEnds(study, ends, n * ENDS)) ? 1 : 0;
  fillBetween(between, ends, ENDS, nodes);
  return { nodes, own, steady, ends };
}

function depthOfNodes({ field, depth }: PathStudy, key: number, own: Uint8Array, { x0, y0, across, stepPx }: Nodes): Float32Array {
  const out = new Float32Array(own.length);
  if (depth === null) return out;
  for (let n = 0; n < own.length; n++) {
    if (own[n] === 0) continue;
    const x = x0 + (n % across) * stepPx,
      y = y0 + Math.floor(n / across) * stepPx;
    // A node lies on or between pixels: one within a pixel's reach is of the surface.
    for (let py = Math.max(0, Math.ceil(y - 1)); out[n] === 0 && py <= Math.min(field.height - 1, y + 1); py++)
      for (let px = Math.max(0, Math.ceil(x - 1)); out[n] === 0 && px <= Math.min(field.width - 1, x + 1); px++)
        if (field.keys[py * field.width + px] === key) out[n] = depth[py * field.width + px];
  }
  return out;
}

/**
 * Corners and thin parts see too few pixels for a gradient that could be carried on: they take the one of the nearest place that sees enough, and
 * keep their own vector.
 */
function borrowGradients(told: Uint8Array, fits: Float64Array, { across, down }: Nodes): void {
  const best = told.includes(GRADIENT) ? GRADIENT : told.includes(ROUGH_GRADIENT) ? ROUGH_GRADIENT : NOTHING;
  if (best === NOTHING) return;
  const sources = nearestMember(
    told.map((t) => (t === best ? 1 : 0)),
    across,
    down,
  );
  for (let n = 0; n < told.length; n++) {
    if (told[n] === NOTHING || told[n] === best) continue;
    for (let end = 0; end < 2; end++) {
      const to = (n * 2 + end) * FIT_NUMBERS + 2,
        from = (sources[n] * 2 + end) * FIT_NUMBERS + 2;
      fits.copyWithin(to, from, from + FIT_NUMBERS - 2);
    }
  }
}

/** Nodes that cover the box's pixels, the same from the left as from the right. */
function nodesOver(box: Box): Nodes {
  // An odd number of them: every second one is the same from both sides.
  const across = Math.max(2, Math.ceil((box.width - 1) / NODE_PX) + 1) | 1,
    down = Math.max(2, Math.ceil((box.height - 1) / NODE_PX) + 1) | 1;
  return {
    stepPx: NODE_PX,
    x0: box.x0 - ((across - 1) * NODE_PX - (box.width - 1)) / 2,
    y0: box.y0 - ((down - 1) * NODE_PX - (box.height - 1)) / 2,
    across,
    down,
  };
}

/** Powers of the time at each node; nodes off the surface take the nearest one's, carried to their place by its own gradient. */
function blendEnds(model: PathStudy['model'], nodes: Nodes, nearest: Int32Array, ends: Float64Array, far: FarEnds | null): PathGrid {
  const orders = model === 'straight' ? 1 : far === null ? (isEven(nearest, ends) ? 1 : 2) : 4;
  const out = sharedFloats(nodes.across * nodes.down * orders * NODE_FLOATS);
  const farNearest = far === null ? null : nearestMember(far.known, nodes.across, nodes.down);
  const longest = longestCarried(nearest, ends);
  const near = new Float64Array(ENDS),
    rest = new Float64Array(ENDS);
  for (let ny = 0; ny < nodes.down; ny++) {
    for (let nx = 0; nx < nodes.across; nx++) {
      const n = ny * nodes.across + nx,
        from = nearest[n];
      // A surface without a single believable vector stands still.
      if (from < 0) continue;
      if (from === n && orders < 4) {
        writeOwn(ends, n, orders, out);
        continue;
      }
      carry(ends, from, n, nodes, near);
      if (from !== n) shorten(near, longest);
      if (far !== null && farNearest !== null) carry(far.rest, farNearest[n], n, nodes, rest);
      for (let k = 0; k < FLOW_NUMBERS; k++) {
        const f = near[k],
          b = near[FLOW_NUMBERS + k],
          at = n * orders * NODE_FLOATS + k;
        const odd = (f - b) / 2,
          even = (f + b) / 2;
        if (orders < 4) {
          out[at] = odd;
          if (orders === 2) out[at + NODE_FLOATS] = even;
          continue;
        }
        // What the far ends add vanishes at 0, 1 and -1: o (t^3 - t) / 6 + e (t^4 - t^2) / 12.
        const o = (rest[k] - rest[FLOW_NUMBERS + k]) / 2,
          e = (rest[k] + rest[FLOW_NUMBERS + k]) / 2;
        out[at] = odd - o / 6;
        out[at + NODE_FLOATS] = even - e / 12;
        out[at + 2 * NODE_FLOATS] = o / 6;
        out[at + 3 * NODE_FLOATS] = e / 12;
      }
    }
  }
  return { ...nodes, isOneFlow: false, orders, nodes: out };
}

/** A node of the surface itself, as most are: (f - b) / 2 and (f + b) / 2. */
function writeOwn(ends: Float64Array, n: number, orders: 1 | 2 | 4, out: Float32Array): void {
  for (let k = 0, at = n * orders * NODE_FLOATS, end = n * ENDS; k < FLOW_NUMBERS; k++, at++, end++) {
    const f = ends[end],
      b = ends[end + FLOW_NUMBERS];
    out[at] = (f - b) / 2;
    if (orders === 2) out[at + NODE_FLOATS] = (f + b) / 2;
  }
}

/** Forward and back agree everywhere to a few thousandths of a pixel: one power of the time says it all. */
function isEven(nearest: Int32Array, ends: Float64Array): boolean {
  for (let n = 0; n < nearest.length; n++) {
    if (nearest[n] !== n) continue;
    for (let k = 0; k < FLOW_NUMBERS; k++)
      if (Math.abs(ends[n * ENDS + k] + ends[n * ENDS + FLOW_NUMBERS + k]) > (k < 2 ? 4e-3 : 1e-4)) return false;
  }
  return true;
}

/** Carried on, a surface is taken to go no faster than this many times as fast as nearly all of it, and a little: beyond, noise has the word. */
const CARRIED_FASTER = 2,
  CARRIED_ROOM_PX = 4,
  NEARLY_ALL = 0.97,
  LENGTH_SAMPLES = 8000;

function longestCarried(nearest: Int32Array, ends: Float64Array): number {
  const lengths: number[] = [];
  // A sample tells it as well.
  const stride = Math.max(1, Math.floor(nearest.length / LENGTH_SAMPLES));
  for (let n = 0, met = 0; n < nearest.length; n++) {
    if (nearest[n] !== n || met++ % stride !== 0) continue;
    for (let at = n * ENDS; at < (n + 1) * ENDS; at += FLOW_NUMBERS) lengths.push(lengthOf(ends[at], ends[at + 1]));
  }
  const sorted = Float64Array.from(lengths).sort();
  return CARRIED_FASTER * (sorted.at(Math.floor(NEARLY_ALL * (sorted.length - 1))) ?? 0) + CARRIED_ROOM_PX;
}

/** What is carried on keeps to `longest`; a surface's own places keep what they are. */
function shorten(flows: Float64Array, longest: number): void {
  for (let end = 0; end < ENDS; end += FLOW_NUMBERS) {
    const length = lengthOf(flows[end], flows[end + 1]);
    if (length <= longest) continue;
    flows[end] *= longest / length;
    flows[end + 1] *= longest / length;
  }
}

/** Both flows of node `from` as they are at node `to`: g + L (x - x0). */
function carry(flows: Float64Array, from: number, to: number, { across, stepPx }: Nodes, out: Float64Array): void {
  const ox = ((to % across) - (from % across)) * stepPx,
    oy = (Math.floor(to / across) - Math.floor(from / across)) * stepPx;
  for (let end = 0; end < ENDS; end += FLOW_NUMBERS) {
    const at = from * ENDS + end;
    out[end] = flows[at] + flows[at + 2] * ox + flows[at + 3] * oy;
    out[end + 1] = flows[at + 1] + flows[at + 4] * ox + flows[at + 5] * oy;
    for (let k = 2; k < FLOW_NUMBERS; k++) out[end + k] = flows[at + k];
  }
}
