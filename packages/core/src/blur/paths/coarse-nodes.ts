import { lengthOf } from './affine-path';
import { ENDS, type Nodes } from './path-study';

/** The ends of a surface's paths, node by node. */
export interface NodeEnds {
  readonly nodes: Nodes;
  /** 1 where the node lies on the surface itself. */
  readonly own: Uint8Array;
  /** 1 where the ends are those of a steady flow. */
  readonly steady: Uint8Array;
  /** ENDS a node. */
  readonly ends: Float64Array;
}

/** A grid of fewer nodes is left as it is: at four powers of the time this many are 13 MB. */
const MANY_NODES = 100_000;
/** How far off a node that is left out may be, pixels in a frame; and the share of the surface's nodes that may be farther off. */
const OFF_PX = 0.1,
  MOST_OFF = 0.02;

/**
 * Every second node of a large grid, where those say all: most large surfaces move smoothly, and their nodes would be most of what a plan holds. The numbers
 * of nodes are odd (`nodesOver`), so that the first and the last ones stay.
 */
export function coarserNodes(fine: NodeEnds): NodeEnds {
  return fine.own.length < MANY_NODES || shareOff(fine) > MOST_OFF ? fine : everySecond(fine);
}

/** The share of a surface's nodes that those which stay do not tell: none of them beside it lies on the surface, or they say otherwise. */
function shareOff({ nodes: { across, down, stepPx }, own, ends }: NodeEnds): number {
  let members = 0,
    off = 0;
  for (let ny = 0, n = 0; ny < down; ny++)
    for (let nx = 0; nx < across; nx++, n++) {
      if (own[n] === 0) continue;
      members++;
      if ((nx | ny) % 2 === 0) continue;
      const sideways = nx % 2,
        upright = (ny % 2) * across,
        corners = [n - upright - sideways, n - upright + sideways, n + upright - sideways, n + upright + sideways],
        there = corners.filter((corner) => own[corner] === 1);
      told.fill(0);
      for (const corner of there) {
        // Between four it is blended; where some are missing they are carried on from those that are there.
        const isBlended = there.length === 4,
          column = corner % across;
        addCarried(ends, corner, isBlended ? 0 : (nx - column) * stepPx, isBlended ? 0 : (ny - (corner - column) / across) * stepPx, told);
      }
      const to = n * ENDS,
        back = to + ENDS / 2;
      const isTold =
        there.length > 0 &&
        lengthOf(told[0] / there.length - ends[to], told[1] / there.length - ends[to + 1]) <= OFF_PX &&
        lengthOf(told[2] / there.length - ends[back], told[3] / there.length - ends[back + 1]) <= OFF_PX;
      if (!isTold) off++;
    }
  return members === 0 ? 1 : off / members;
}

/** Both ends' vectors. */
const told = new Float64Array(4);

/** Adds where a node's flows lead (ox, oy) away from it. */
function addCarried(ends: Float64Array, node: number, ox: number, oy: number, out: Float64Array): void {
  for (let end = 0, at = node * ENDS; end < 2; end++, at += ENDS / 2) {
    out[end * 2] += ends[at] + ends[at + 2] * ox + ends[at + 3] * oy;
    out[end * 2 + 1] += ends[at + 1] + ends[at + 4] * ox + ends[at + 5] * oy;
  }
}

function everySecond({ nodes, own, steady, ends }: NodeEnds): NodeEnds {
  const across = (nodes.across + 1) >> 1,
    down = (nodes.down + 1) >> 1,
    out = {
      nodes: { ...nodes, stepPx: nodes.stepPx * 2, across, down },
      own: new Uint8Array(across * down),
      steady: new Uint8Array(across * down),
      ends: new Float64Array(across * down * ENDS),
    };
  for (let ny = 0, n = 0; ny < down; ny++)
    for (let nx = 0; nx < across; nx++, n++) {
      const from = ny * 2 * nodes.across + nx * 2;
      out.own[n] = own[from];
      out.steady[n] = steady[from];
      out.ends.set(ends.subarray(from * ENDS, (from + 1) * ENDS), n * ENDS);
    }
  return out;
}
