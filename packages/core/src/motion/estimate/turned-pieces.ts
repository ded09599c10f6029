import type { Flow } from '../flow/flow';
import { sampleLevel, type Pyramid } from '../flow/pyramid';
import { slid, type Piece } from './piece';

/** Side of the squares in which lost pixels are counted, and the fewest squares that are looked at as one thing. */
const CELL_PX = 8,
  FEWEST_CELLS = 12,
  MOST_THINGS = 4,
  LOST_BELIEF = 0.05,
  LOST_SHARE = 0.5;

/** The search: turns about the thing's middle, and ways, in steps that a quarter-size picture can tell apart. */
const LEVEL = 2,
  TURN_DEGREES = 24,
  TURN_STEP = 4,
  FARTHEST_PX = 64,
  STEP_PX = 8,
  POINTS = 260,
  SLID = 6,
  MOST_DIFFERENCE = 0.12;

/**
 * Pieces where flow is lost: what turns by many degrees a frame, or repeats, has no good vector that could tell its piece. Pixels whose
 * ways there and back do not meet are gathered into things; each is turned and moved as a whole over the other picture, coarsely, and the
 * best few are slid.
 */
export function findTurnedPieces(flow: Flow, belief: Float32Array, from: Pyramid, to: Pyramid, coverage: Float32Array | null): Piece[] {
  const levels = Array.from({ length: Math.min(LEVEL, from.length - 1) + 1 }, (_, l) => l).reverse();
  return lostThings(flow, belief, coverage).map((places) => {
    const starts = turned(places, flow, from, to).map((parameters): Piece => ({ ...places, parameters }));
    const all = starts.map((piece) => slid(piece, flow, from, to, levels));
    return all.reduce((a, b) => (errorOf(b, flow, from, to, 0) < errorOf(a, flow, from, to, 0) ? b : a));
  });
}

type Places = Pick<Piece, 'x' | 'y'>;

/** Connected squares of lost pixels, the largest first, as places from the picture's middle. */
function lostThings({ width, height }: Flow, belief: Float32Array, coverage: Float32Array | null): Places[] {
  const columns = Math.floor(width / CELL_PX),
    rows = Math.floor(height / CELL_PX);
  const lost = new Uint8Array(columns * rows);
  for (let cy = 0; cy < rows; cy++)
    for (let cx = 0; cx < columns; cx++) {
      let covered = 0,
        off = 0;
      for (let y = cy * CELL_PX; y < (cy + 1) * CELL_PX; y++)
        for (let x = cx * CELL_PX; x < (cx + 1) * CELL_PX; x++) {
          const i = y * width + x;
          if (coverage !== null && !(coverage[i] > 0.5)) continue;
          covered++;
          if (belief[i] < LOST_BELIEF) off++;
        }
      if (covered > (CELL_PX * CELL_PX) / 4 && off > LOST_SHARE * covered) lost[cy * columns + cx] = 1;
    }
  const things: number[][] = [];
  for (let c = 0; c < lost.length; c++) {
    if (lost[c] === 0) continue;
    lost[c] = 0;
    const cells = [c];
    for (const at of cells)
      for (let oy = -1; oy <= 1; oy++)
        for (let ox = -1; ox <= 1; ox++) {
          const x = (at % columns) + ox,
            y = Math.floor(at / columns) + oy,
            next = y * columns + x;
          if (x < 0 || y < 0 || x >= columns || y >= rows || lost[next] === 0) continue;
          lost[next] = 0;
          cells.push(next);
        }
    if (cells.length >= FEWEST_CELLS) things.push(cells);
  }
  things.sort((a, b) => b.length - a.length);
  return things.slice(0, MOST_THINGS).map((cells) => {
    const x: number[] = [],
      y: number[] = [];
    for (const c of cells)
      for (let oy = 1; oy < CELL_PX; oy += 3)
        for (let ox = 1; ox < CELL_PX; ox += 3) {
          x.push((c % columns) * CELL_PX + ox - width / 2);
          y.push(Math.floor(c / columns) * CELL_PX + oy - height / 2);
        }
    return { x: Float64Array.from(x), y: Float64Array.from(y) };
  });
}

/** The turns and ways under which the thing differs least from the other picture at a coarse level, as a plane's parameters. */
function turned(places: Places, flow: Flow, from: Pyramid, to: Pyramid): Float64Array[] {
  const level = Math.min(LEVEL, from.length - 1);
  const some = thinned(places);
  const cx = mean(some.x),
    cy = mean(some.y);
  const found: { readonly error: number; readonly parameters: Float64Array }[] = [];
  for (let degrees = -TURN_DEGREES; degrees <= TURN_DEGREES; degrees += TURN_STEP) {
    const a = (degrees * Math.PI) / 180,
      b = Math.cos(a) - 1,
      s = Math.sin(a);
    let best: { error: number; parameters: Float64Array } | null = null;
    for (let dy = -FARTHEST_PX; dy <= FARTHEST_PX; dy += STEP_PX)
      for (let dx = -FARTHEST_PX; dx <= FARTHEST_PX; dx += STEP_PX) {
        const parameters = Float64Array.of(dx - b * cx + s * cy, b, -s, dy - s * cx - b * cy, s, b);
        const error = errorOf({ ...some, parameters }, flow, from, to, level);
        if (best === null || error < best.error) best = { error, parameters };
      }
    if (best !== null) found.push(best);
  }
  return found
    .sort((p, q) => p.error - q.error)
    .slice(0, SLID)
    .map((f) => f.parameters);
}

function thinned({ x, y }: Places): Places {
  const every = Math.max(1, x.length / POINTS),
    pick = (v: Float64Array) => Float64Array.from({ length: Math.floor(v.length / every) }, (_, k) => v[Math.floor(k * every)]);
  return { x: pick(x), y: pick(y) };
}

function mean(values: Float64Array): number {
  return values.reduce((a, b) => a + b, 0) / values.length;
}

/** Mean difference of brightness where a piece leads. */
function errorOf({ x, y, parameters: p }: Piece, { width, height }: Flow, from: Pyramid, to: Pyramid, level: number): number {
  const scale = 2 ** -level,
    now = from[level],
    other = to[level];
  let sum = 0;
  for (let k = 0; k < x.length; k++) {
    const px = (x[k] + width / 2 + 0.5) * scale - 0.5,
      py = (y[k] + height / 2 + 0.5) * scale - 0.5;
    const tx = px + (p[0] + p[1] * x[k] + p[2] * y[k]) * scale,
      ty = py + (p[3] + p[4] * x[k] + p[5] * y[k]) * scale;
    sum += Math.min(MOST_DIFFERENCE, Math.abs(sampleLevel(other, other.values, tx, ty) - sampleLevel(now, now.values, px, py)));
  }
  return sum / x.length;
}
