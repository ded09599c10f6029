import { NODE_FLOATS, NODE_PX, type Box, type PathGrid } from '@ivrex/kernels/interface';
import { FIT_NUMBERS, fitAffine, GRADIENT, NOTHING, ROUGH_GRADIENT, type KeyedField } from './affine-fit';
import { FLOW_NUMBERS, flowOf, travelOf } from './affine-path';
import { nearestMember } from './nearest';
import { sharedFloats } from './shared-floats';

/** What the paths of one frame's surfaces are fitted to. */
export interface PathStudy {
  readonly model: 'straight' | 'bent' | 'arc';
  readonly shear: boolean;
  /** The frame's motion, its surfaces as keys; below 0 where a vector can't be believed. */
  readonly field: KeyedField & { readonly toNext: Float32Array; readonly toPrevious: Float32Array };
  readonly depth: Float32Array | null;
  /** By key: the object's id, the same in every frame; 0 when there are no ids. */
  readonly idOf: ArrayLike<number>;
  /** The motion after and before, for paths that change their pace; ids as keys, below 0 where there is no vector. */
  readonly after: NeighbourField | null;
  readonly before: NeighbourField | null;
}

export interface NeighbourField extends KeyedField {
  readonly toNext: Float32Array;
  readonly toPrevious: Float32Array;
  readonly hasIds: boolean;
}

export interface SurfacePath {
  readonly grid: PathGrid;
  /** For every node the index of the nearest node that lies on the surface itself; -1 when there is none. */
  readonly nearest: Int32Array;
  /** By node on the surface: its depth; 0 when there is none. */
  readonly depth: Float32Array;
}

/** Two flows a node: to the next frame and to the one before (times +1 and -1). */
const ENDS = 2 * FLOW_NUMBERS;

/**
 * The ways of one surface over a box: fitted where it is seen, carried on along its own flow from the nearest such place elsewhere
 * (`key`: its number in `study.field`).
 */
export function surfacePath(study: PathStudy, key: number, seen: Box, box: Box): SurfacePath {
  const nodes = nodesOver(box);
  const { x0, y0, across, down } = nodes;
  const told = new Uint8Array(across * down);
  const fits = new Float64Array(across * down * 2 * FIT_NUMBERS);
  const fit = new Float64Array(2 * FIT_NUMBERS);
  const sets = [study.field.toNext, study.field.toPrevious];
  for (let ny = 0; ny < down; ny++) {
    const y = y0 + ny * NODE_PX;
    if (y < seen.y0 - 1 || y > seen.y0 + seen.height) continue;
    for (let nx = 0; nx < across; nx++) {
      const x = x0 + nx * NODE_PX;
      if (x < seen.x0 - 1 || x > seen.x0 + seen.width) continue;
      const n = ny * across + nx;
      told[n] = fitAffine(study.field, key, sets, x, y, study.shear, fit);
      if (told[n] !== NOTHING) fits.set(fit, n * 2 * FIT_NUMBERS);
    }
  }
  borrowGradients(told, fits, nodes);
  const own = told.map((t) => (t === NOTHING ? 0 : 1));
  const ends = new Float64Array(across * down * ENDS),
    flow = new Float64Array(FLOW_NUMBERS);
  for (let n = 0; n < own.length; n++) {
    if (own[n] === 0) continue;
    for (let end = 0; end < 2; end++) {
      writeFlow(study.model, fits, (n * 2 + end) * FIT_NUMBERS, flow);
      ends.set(flow, n * ENDS + end * FLOW_NUMBERS);
    }
  }
  const nearest = nearestMember(own, across, down);
  const far = study.model === 'straight' ? null : chainEnds(study, study.idOf[key] ?? 0, own, ends, nodes);
  return { grid: blendEnds(study.model, nodes, nearest, ends, far), nearest, depth: depthOfNodes(study, key, own, nodes) };
}

function depthOfNodes({ field, depth }: PathStudy, key: number, own: Uint8Array, { x0, y0, across }: Nodes): Float32Array {
  const out = new Float32Array(own.length);
  if (depth === null) return out;
  for (let n = 0; n < own.length; n++) {
    if (own[n] === 0) continue;
    const x = x0 + (n % across) * NODE_PX,
      y = y0 + Math.floor(n / across) * NODE_PX;
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

interface Nodes {
  readonly x0: number;
  readonly y0: number;
  readonly across: number;
  readonly down: number;
}

/** Nodes that cover the box's pixels, the same from the left as from the right. */
function nodesOver(box: Box): Nodes {
  const across = Math.max(2, Math.ceil((box.width - 1) / NODE_PX) + 1),
    down = Math.max(2, Math.ceil((box.height - 1) / NODE_PX) + 1);
  return {
    x0: box.x0 - ((across - 1) * NODE_PX - (box.width - 1)) / 2,
    y0: box.y0 - ((down - 1) * NODE_PX - (box.height - 1)) / 2,
    across,
    down,
  };
}

/** The path parameter at the end of one frame: a flow for arcs, else the vector and its gradient as they are. */
function writeFlow(model: PathStudy['model'], fit: Float64Array, at: number, out: Float64Array, turnNear = 0): void {
  if (model === 'arc') flowOf(fit[at], fit[at + 1], fit[at + 2], fit[at + 3], fit[at + 4], fit[at + 5], out, turnNear);
  else for (let k = 0; k < FLOW_NUMBERS; k++) out[k] = fit[at + k];
}

/** What the ends two frames away differ by from the curve through the three nearer places; for nodes where both frames tell. */
interface FarEnds {
  readonly known: Uint8Array;
  /** Two flows a node: times +2 and -2. */
  readonly rest: Float64Array;
}

/** Round trips may miss by this much, in pixels and as a share of the way. */
const ROUND_TRIP_PX = 1,
  ROUND_TRIP_SHARE = 0.15;
/** A change of pace that moves no place by this much (pixels, within half a frame) is not worth its cost. */
const PACE_PX = 0.04;
const PACE_TRIALS = 600;

function chainEnds(study: PathStudy, id: number, own: Uint8Array, ends: Float64Array, nodes: Nodes): FarEnds | null {
  if (study.after === null || study.before === null) return null;
  const members: number[] = [];
  for (let n = 0; n < own.length; n++) if (own[n] === 1) members.push(n);
  const known = new Uint8Array(own.length);
  const rest = new Float64Array(own.length * ENDS);
  const chain = (n: number): boolean => {
    const x = nodes.x0 + (n % nodes.across) * NODE_PX,
      y = nodes.y0 + Math.floor(n / nodes.across) * NODE_PX;
    return (
      farEnd(study, id, ends, n, 0, x, y, study.after, rest) &&
      farEnd(study, id, ends, n, 1, x, y, study.before, rest) &&
      ((known[n] = 1), true)
    );
  };
  // Most surfaces keep their pace: a sample of their places tells.
  const stride = Math.max(1, Math.floor(members.length / PACE_TRIALS));
  const changes: number[] = [];
  for (let k = stride >> 1; k < members.length; k += stride) if (chain(members[k])) changes.push(paceChange(rest, members[k] * ENDS));
  changes.sort((a, b) => a - b);
  if (changes.length === 0 || changes[Math.floor(changes.length * 0.95)] < PACE_PX) return null;
  for (const n of members) if (known[n] === 0) chain(n);
  return { known, rest };
}

/** How far the fourth-order curve leaves the parabola within half a frame, at most; in pixels of the flow's own vector. */
function paceChange(rest: Float64Array, at: number): number {
  const ox = (rest[at] - rest[at + FLOW_NUMBERS]) / 2,
    oy = (rest[at + 1] - rest[at + FLOW_NUMBERS + 1]) / 2,
    ex = (rest[at] + rest[at + FLOW_NUMBERS]) / 2,
    ey = (rest[at + 1] + rest[at + FLOW_NUMBERS + 1]) / 2;
  // Odd part: o (t^3 - t) / 6, even part: e (t^4 - t^2) / 12; at t = 1/2 their factors are 1/16 and 1/64.
  return Math.hypot(ox, oy) / 16 + Math.hypot(ex, ey) / 64;
}

const fitThere = new Float64Array(FIT_NUMBERS),
  farFlow = new Float64Array(FLOW_NUMBERS),
  way = new Float64Array(2),
  both = new Float64Array(FLOW_NUMBERS);

/** Follows one end of a node's path for another frame and writes what it differs by from where the parabola leads. */
function farEnd(
  study: PathStudy,
  id: number,
  ends: Float64Array,
  n: number,
  end: 0 | 1,
  x: number,
  y: number,
  field: NeighbourField | null,
  rest: Float64Array,
): boolean {
  if (field === null) return false;
  const at = n * ENDS + end * FLOW_NUMBERS,
    other = n * ENDS + (1 - end) * FLOW_NUMBERS;
  wayOf(study.model, ends, at, way);
  const dx = way[0],
    dy = way[1],
    px = x + dx,
    py = y + dy;
  const rx = Math.round(px),
    ry = Math.round(py);
  if (!(rx >= 0 && ry >= 0 && rx < field.width && ry < field.height)) return false;
  const i = ry * field.width + rx;
  const key = field.hasIds ? id : 0;
  if (field.keys[i] !== key) return false;
  const on = end === 0 ? field.toNext : field.toPrevious,
    back = end === 0 ? field.toPrevious : field.toNext;
  const limit = ROUND_TRIP_PX + ROUND_TRIP_SHARE * Math.hypot(dx, dy);
  if (Math.hypot(back[i * 2] + dx, back[i * 2 + 1] + dy) > limit) return false;
  const near = { x: on[i * 2], y: on[i * 2 + 1], limit: ROUND_TRIP_PX + ROUND_TRIP_SHARE * Math.hypot(on[i * 2], on[i * 2 + 1]) };
  if (fitAffine(field, key, [on], px, py, study.shear, fitThere, near) < GRADIENT) return false;
  // Both frames as one map: 1 + m2 = (1 + m there) (1 + m here).
  const [hxx, hxy, hyx, hyy] = gradientOf(study.model, ends, at);
  const [, , xx, xy, yx, yy] = fitThere;
  both[0] = dx + fitThere[0];
  both[1] = dy + fitThere[1];
  both[2] = hxx + xx + xx * hxx + xy * hyx;
  both[3] = hxy + xy + xx * hxy + xy * hyy;
  both[4] = hyx + yx + yx * hxx + yy * hyx;
  both[5] = hyy + yy + yx * hxy + yy * hyy;
  writeFlow(study.model, both, 0, farFlow, ends[at + 4] - ends[at + 3]);
  // The parabola through both near ends and 0 reaches 3 X(1) + X(-1) at time 2.
  for (let k = 0; k < FLOW_NUMBERS; k++) rest[at + k] = farFlow[k] - (3 * ends[at + k] + ends[other + k]);
  return true;
}

function wayOf(model: PathStudy['model'], ends: Float64Array, at: number, out: Float64Array): void {
  if (model === 'arc') travelOf(ends, at, out);
  else {
    out[0] = ends[at];
    out[1] = ends[at + 1];
  }
}

/** m of one frame: exp(L) - 1 = phi(L) L for arcs. */
function gradientOf(model: PathStudy['model'], ends: Float64Array, at: number): number[] {
  const [xx, xy, yx, yy] = [ends[at + 2], ends[at + 3], ends[at + 4], ends[at + 5]];
  if (model !== 'arc') return [xx, xy, yx, yy];
  const p = expTerms(xx, xy, yx, yy);
  return [p[0] * xx + p[1] * yx, p[0] * xy + p[1] * yy, p[2] * xx + p[3] * yx, p[2] * xy + p[3] * yy];
}

function expTerms(xx: number, xy: number, yx: number, yy: number): number[] {
  // phi's columns are how far the unit vectors go.
  const e = new Float64Array([1, 0, xx, xy, yx, yy]),
    f = new Float64Array([0, 1, xx, xy, yx, yy]);
  const column = new Float64Array(2);
  travelOf(e, 0, column);
  const [a, c] = column;
  travelOf(f, 0, column);
  return [a, column[0], c, column[1]];
}

/** Powers of the time at each node; nodes off the surface take the nearest one's, carried to their place by its own gradient. */
function blendEnds(model: PathStudy['model'], nodes: Nodes, nearest: Int32Array, ends: Float64Array, far: FarEnds | null): PathGrid {
  const orders = model === 'straight' ? 1 : far === null ? (isEven(nearest, ends) ? 1 : 2) : 4;
  const out = sharedFloats(nodes.across * nodes.down * orders * NODE_FLOATS);
  const farNearest = far === null ? null : nearestMember(far.known, nodes.across, nodes.down);
  const near = new Float64Array(ENDS),
    rest = new Float64Array(ENDS);
  for (let ny = 0; ny < nodes.down; ny++) {
    for (let nx = 0; nx < nodes.across; nx++) {
      const n = ny * nodes.across + nx,
        from = nearest[n];
      // A surface without a single believable vector stands still.
      if (from < 0) continue;
      carry(ends, from, n, nodes.across, near);
      if (far !== null && farNearest !== null) carry(far.rest, farNearest[n], n, nodes.across, rest);
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
  return { ...nodes, orders, nodes: out };
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

/** Both flows of node `from` as they are at node `to`: g + L (x - x0). */
function carry(flows: Float64Array, from: number, to: number, across: number, out: Float64Array): void {
  const ox = ((to % across) - (from % across)) * NODE_PX,
    oy = (Math.floor(to / across) - Math.floor(from / across)) * NODE_PX;
  for (let end = 0; end < ENDS; end += FLOW_NUMBERS) {
    const at = from * ENDS + end;
    out[end] = flows[at] + flows[at + 2] * ox + flows[at + 3] * oy;
    out[end + 1] = flows[at + 1] + flows[at + 4] * ox + flows[at + 5] * oy;
    for (let k = 2; k < FLOW_NUMBERS; k++) out[end + k] = flows[at + k];
  }
}
