import { NODE_PX, type Box } from '@ivrex/kernels/interface';
import { CORE_PX, FIT_NUMBERS, fitAffine, GRADIENT, RADIUS_PX } from './affine-fit';
import type { Nodes, PathStudy } from './path-study';

export interface GridFits {
  /** By node: what its fit knows (see `Told`). */
  readonly told: Uint8Array;
  /** By node: FIT_NUMBERS to the next frame, then as many to the previous one. */
  readonly fits: Float64Array;
  /** By node: 1 where nothing was fitted, as every second node around it along both axes lies deep in the surface: it is the mean of those. */
  readonly between: Uint8Array;
}

/**
 * `fitAffine` at the nodes near `seen`. Where a node's window lies wholly within the surface its moments are known beforehand and rows are shared, so
 * that only sums are left, and every second node along both axes is enough: windows overlap by more. Elsewhere each window is fitted by itself.
 */
export function fitGrid({ field, shear }: Pick<PathStudy, 'field' | 'shear'>, key: number, seen: Box, nodes: Nodes): GridFits {
  const { x0, y0, across, down } = nodes;
  const told = new Uint8Array(across * down),
    fits = new Float64Array(across * down * 2 * FIT_NUMBERS),
    whole = new Uint8Array(across * down),
    between = new Uint8Array(across * down);
  const sets = [field.toNext, field.toPrevious];
  const window = windowAt(x0),
    high = windowAt(y0);
  const isNear = (place: number, from: number, size: number) => place >= from - 1 && place <= from + size;
  const fitAlone = (n: number, x: number, y: number) => {
    told[n] = fitAffine(field, key, sets, x, y, shear, fits, null, n * 2 * FIT_NUMBERS);
  };
  const windows = new WholeWindows(new RowSums(field, key, x0, across, window), across, window, high, shear);
  for (let ny = 0; ny < down; ny += 2) {
    const y = y0 + ny * NODE_PX,
      top = Math.ceil(y - RADIUS_PX);
    if (!isNear(y, seen.y0, seen.height)) continue;
    const inside = top >= 0 && top + high.pixels <= field.height;
    if (inside) windows.gather(top, y);
    for (let nx = 0; nx < across; nx += 2) {
      const x = x0 + nx * NODE_PX,
        n = ny * across + nx;
      if (!isNear(x, seen.x0, seen.width)) continue;
      if (inside && windows.has(nx)) {
        windows.fit(nx, fits, n * 2 * FIT_NUMBERS);
        told[n] = GRADIENT;
        whole[n] = 1;
      } else fitAlone(n, x, y);
    }
  }
  for (let ny = 0; ny < down; ny++) {
    const y = y0 + ny * NODE_PX,
      isFitted = ny % 2 === 0;
    if (!isNear(y, seen.y0, seen.height)) continue;
    for (let nx = isFitted ? 1 : 0; nx < across; nx += isFitted ? 2 : 1) {
      const x = x0 + nx * NODE_PX,
        n = ny * across + nx;
      if (!isNear(x, seen.x0, seen.width)) continue;
      // Every second one is fitted, the first and the last among them: those around are there.
      const sideways = nx % 2,
        upright = isFitted ? 0 : across;
      if (
        (whole[n - upright - sideways] & whole[n - upright + sideways] & whole[n + upright - sideways] & whole[n + upright + sideways]) ===
        1
      ) {
        between[n] = 1;
        told[n] = GRADIENT;
      } else fitAlone(n, x, y);
    }
  }
  return { told, fits, between };
}

/** Gives the nodes in between what those around them have, on average; `numbers` of `values` a node. */
export function fillBetween(between: Uint8Array, values: Float64Array, numbers: number, { across, down }: Nodes): void {
  for (let ny = 0, n = 0; ny < down; ny++) {
    const upright = (ny % 2) * across * numbers;
    for (let nx = 0; nx < across; nx++, n++) {
      if (between[n] === 0) continue;
      const sideways = (nx % 2) * numbers;
      for (let at = n * numbers; at < (n + 1) * numbers; at++)
        values[at] =
          (values[at - upright - sideways] +
            values[at - upright + sideways] +
            values[at + upright - sideways] +
            values[at + upright + sideways]) /
          4;
    }
  }
}

interface Window {
  readonly pixels: number;
  /** Squared distances from its middle, summed. */
  readonly spread: number;
  /** Pixels from its first one on that are before the core, and in it. */
  readonly coreFrom: number;
  readonly corePixels: number;
}

/** The pixels around a place, along one axis; all places of a grid differ by whole pixels. */
function windowAt(place: number): Window {
  const offsets: number[] = [];
  for (let p = Math.ceil(place - RADIUS_PX); p <= Math.floor(place + RADIUS_PX); p++) offsets.push(p - place);
  const inCore = offsets.filter((o) => Math.abs(o) <= CORE_PX);
  return {
    pixels: offsets.length,
    spread: offsets.reduce((sum, o) => sum + o * o, 0),
    coreFrom: offsets.findIndex((o) => Math.abs(o) <= CORE_PX),
    corePixels: inCore.length,
  };
}

/** Of one row of the picture: sums over the part of it that lies in the window of every second node, four vector components each. */
interface Row {
  row: number;
  /** The values themselves. */
  readonly sum: Float64Array;
  /** The values times their pixel's distance from the node. */
  readonly byX: Float64Array;
  /** The values within the core. */
  readonly core: Float64Array;
  /** By node: 1 where every pixel is of the surface. */
  readonly whole: Uint8Array;
}

const KEPT_ROWS = 8;

/** The last few rows. */
class RowSums {
  private readonly kept: Row[];
  private readonly left: number;
  private readonly fitted: number;

  constructor(
    private readonly field: PathStudy['field'],
    private readonly key: number,
    private readonly x0: number,
    across: number,
    private readonly window: Window,
  ) {
    this.fitted = (across + 1) >> 1;
    const values = () => new Float64Array(this.fitted * 4);
    this.kept = Array.from({ length: KEPT_ROWS }, () => ({
      row: -1,
      sum: values(),
      byX: values(),
      core: values(),
      whole: new Uint8Array(this.fitted),
    }));
    this.left = Math.ceil(x0 - RADIUS_PX);
  }

  at(row: number): Row {
    const kept = this.kept[row % KEPT_ROWS];
    if (kept.row !== row) {
      kept.row = row;
      this.sumUp(kept);
    }
    return kept;
  }

  private sumUp({ row, sum, byX, core, whole }: Row): void {
    const { field, key, fitted, left, window } = this,
      { width, keys, toNext, toPrevious } = field,
      { pixels, coreFrom, corePixels } = window;
    const first = left - this.x0;
    // Pixels of the surface in one run up to here.
    let run = 0,
      next = Math.max(0, left);
    for (let node = 0; node < fitted; node++) {
      const from = left + node * 2 * NODE_PX,
        to = from + pixels;
      for (; next < Math.min(to, width); next++) run = keys[row * width + next] === key ? run + 1 : 0;
      whole[node] = from >= 0 && to <= width && run >= pixels ? 1 : 0;
      if (whole[node] === 0) continue;
      for (let set = 0, at = node * 4; set < 2; set++, at += 2) {
        const vectors = set === 0 ? toNext : toPrevious;
        let x = 0,
          y = 0,
          xByX = 0,
          yByX = 0,
          xCore = 0,
          yCore = 0;
        for (let k = 0, i = (row * width + from) * 2; k < pixels; k++, i += 2) {
          const vx = vectors[i],
            vy = vectors[i + 1];
          x += vx;
          y += vy;
          xByX += (first + k) * vx;
          yByX += (first + k) * vy;
          if (k >= coreFrom && k < coreFrom + corePixels) {
            xCore += vx;
            yCore += vy;
          }
        }
        sum[at] = x;
        sum[at + 1] = y;
        byX[at] = xByX;
        byX[at + 1] = yByX;
        core[at] = xCore;
        core[at + 1] = yCore;
      }
    }
  }
}

/** The windows of a row of nodes that lie wholly within the surface. A full window lies evenly around its node: the sums of its offsets vanish. */
class WholeWindows {
  private readonly byX: Float64Array;
  private readonly byY: Float64Array;
  private readonly core: Float64Array;
  private readonly whole: Uint8Array;

  constructor(
    private readonly rows: RowSums,
    across: number,
    private readonly window: Window,
    private readonly high: Window,
    private readonly shear: boolean,
  ) {
    const fitted = (across + 1) >> 1;
    [this.byX, this.byY, this.core] = [0, 1, 2].map(() => new Float64Array(fitted * 4));
    this.whole = new Uint8Array(fitted);
  }

  /** Adds up the rows of the windows around picture row `y`. */
  gather(top: number, y: number): void {
    const { byX, byY, core, whole, high } = this;
    whole.fill(1);
    for (const sums of [byX, byY, core]) sums.fill(0);
    for (let k = 0; k < high.pixels; k++) {
      const row = this.rows.at(top + k),
        oy = top + k - y;
      for (let i = 0; i < whole.length; i++) whole[i] &= row.whole[i];
      for (let i = 0; i < byX.length; i++) {
        byX[i] += row.byX[i];
        byY[i] += oy * row.sum[i];
      }
      if (k >= high.coreFrom && k < high.coreFrom + high.corePixels) for (let i = 0; i < core.length; i++) core[i] += row.core[i];
    }
  }

  /** `nx`: even, as in `fit`. */
  has(nx: number): boolean {
    return this.whole[nx >> 1] === 1;
  }

  fit(nx: number, out: Float64Array, to: number): void {
    const across = this.window.spread * this.high.pixels,
      down = this.high.spread * this.window.pixels,
      core = this.window.corePixels * this.high.corePixels;
    for (let set = to, at = nx * 2; set < to + 2 * FIT_NUMBERS; set += FIT_NUMBERS, at += 2) {
      const xx = this.byX[at],
        xy = this.byY[at],
        yx = this.byX[at + 1],
        yy = this.byY[at + 1];
      out[set] = this.core[at] / core;
      out[set + 1] = this.core[at + 1] / core;
      const scale = (xx + yy) / (across + down),
        turn = (yx - xy) / (across + down);
      out[set + 2] = this.shear ? xx / across : scale;
      out[set + 3] = this.shear ? xy / down : -turn;
      out[set + 4] = this.shear ? yx / across : turn;
      out[set + 5] = this.shear ? yy / down : scale;
    }
  }
}
