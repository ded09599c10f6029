import { FIT_NUMBERS, fitAffine, GRADIENT } from './affine-fit';
import { FLOW_NUMBERS, lengthOf, travelOf } from './affine-path';
import { ENDS, writeFlow, type NeighbourField, type Nodes, type PathStudy } from './path-study';

/** What the ends two frames away differ by from the curve through the three nearer places; for nodes where both frames tell. */
export interface FarEnds {
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

/** Follows both ends of every path on, where the change of pace is worth it; null where it is not, or a frame is missing. */
export function chainEnds(
  study: PathStudy,
  id: number,
  own: Uint8Array,
  steady: Uint8Array,
  ends: Float64Array,
  nodes: Nodes,
): FarEnds | null {
  if (study.after === null || study.before === null) return null;
  const members: number[] = [];
  for (let n = 0; n < own.length; n++) if (own[n] === 1 && steady[n] === 1) members.push(n);
  // Where a surface folds its ends are those of a parabola, and nothing is added to it.
  const known = own.map((isOwn, n) => (isOwn === 1 && steady[n] === 0 ? 1 : 0));
  const rest = new Float64Array(own.length * ENDS);
  const chain = (n: number): boolean => {
    const x = nodes.x0 + (n % nodes.across) * nodes.stepPx,
      y = nodes.y0 + Math.floor(n / nodes.across) * nodes.stepPx;
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
  return lengthOf(ox, oy) / 16 + lengthOf(ex, ey) / 64;
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
  const limit = ROUND_TRIP_PX + ROUND_TRIP_SHARE * lengthOf(dx, dy);
  if (lengthOf(back[i * 2] + dx, back[i * 2 + 1] + dy) > limit) return false;
  const near = { x: on[i * 2], y: on[i * 2 + 1], limit: ROUND_TRIP_PX + ROUND_TRIP_SHARE * lengthOf(on[i * 2], on[i * 2 + 1]) };
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
