import { gaussian } from './matte-edge';

/** Grain of a film or sensor: by channel the variance is floor + slope x light; `sizePx` is the standard deviation of its softness. */
export interface GrainModel {
  readonly floor: readonly [number, number, number];
  readonly slope: readonly [number, number, number];
  readonly sizePx: number;
}

/** A box in pixels, half open. */
export interface GrainRegion {
  readonly x0: number;
  readonly y0: number;
  readonly x1: number;
  readonly y1: number;
}

export interface GrainMeasure {
  readonly model: GrainModel;
  /** Blocks that were even enough to tell. */
  readonly blocks: number;
  /** Standard deviation at the region's mean light, by channel. */
  readonly deviation: readonly [number, number, number];
  /** The region's mean light. */
  readonly light: readonly [number, number, number];
}

const BLOCK_PX = 8,
  FEWEST_BLOCKS = 6,
  /** Of the blocks those with the least detail are grain alone; the rest hold texture too. */
  EVEN_SHARE = 0.4;

interface Block {
  readonly light: number;
  readonly variance: number;
  /** Correlation of neighbours. */
  readonly alike: number;
}

/**
 * Grain of a region that should be even: in blocks of 8 x 8 a plane is taken off, and what is left is its grain. The least detailed blocks
 * count. RGBA interleaved. Null when fewer than six blocks fit in.
 */
export function measureGrain(rgba: Float32Array, width: number, region: GrainRegion): GrainMeasure | null {
  const all = [0, 1, 2].map((c) => blocksOf(rgba, width, region, c));
  if (all[0].length < FEWEST_BLOCKS) return null;
  const order = all[0]
    .map((_, i) => ({ i, detail: all.reduce((sum, blocks) => sum + blocks[i].variance / (0.01 + blocks[i].light), 0) }))
    .sort((a, b) => a.detail - b.detail);
  const kept = order.slice(0, Math.max(FEWEST_BLOCKS, Math.ceil(EVEN_SHARE * order.length))).map(({ i }) => i);
  // The quietest of many are quieter than the grain: what is left out on one side is given back.
  const trim = kept.length === order.length ? 1 : 1 / quietShare(kept.length / order.length);
  const { sizePx, seen } = softnessOf(mean(kept.map((i) => mean(all.map((blocks) => blocks[i].alike)))));
  const fits = all.map((blocks) =>
    fitVariance(
      kept.map((i) => blocks[i].light),
      kept.map((i) => (blocks[i].variance * trim) / seen),
    ),
  );
  const light = all.map((blocks) => mean(blocks.map((b) => b.light)));
  const triple = (of: (c: number) => number) => [of(0), of(1), of(2)] as const;
  return {
    model: { floor: triple((c) => fits[c].floor), slope: triple((c) => fits[c].slope), sizePx },
    blocks: kept.length,
    deviation: triple((c) => Math.sqrt(Math.max(0, fits[c].floor + fits[c].slope * light[c]))),
    light: triple((c) => light[c]),
  };
}

/** Mean variance of the quietest share of blocks of pure grain, relative to all: a variance from 61 values spreads by sqrt(2 / 61). */
function quietShare(share: number): number {
  const spread = Math.sqrt(2 / (BLOCK_PX * BLOCK_PX - 3));
  // Mean of a normal's lower tail: -pdf(z) / share, z from Winitzki's approximation of the inverse.
  const p = 2 * share - 1,
    l = Math.log(1 - p * p),
    a = 2 / (Math.PI * 0.147) + l / 2;
  const z = Math.SQRT2 * Math.sign(p) * Math.sqrt(Math.sqrt(a * a - l / 0.147) - a);
  return 1 - (spread * Math.exp(-(z * z) / 2)) / Math.sqrt(2 * Math.PI) / share;
}

function blocksOf(rgba: Float32Array, width: number, { x0, y0, x1, y1 }: GrainRegion, channel: number): Block[] {
  const out: Block[] = [];
  const rest = new Float64Array(BLOCK_PX * BLOCK_PX),
    middle = (BLOCK_PX - 1) / 2;
  for (let by = y0; by + BLOCK_PX <= y1; by += BLOCK_PX) {
    for (let bx = x0; bx + BLOCK_PX <= x1; bx += BLOCK_PX) {
      let sum = 0,
        sumX = 0,
        sumY = 0,
        far = 0;
      for (let y = 0; y < BLOCK_PX; y++)
        for (let x = 0; x < BLOCK_PX; x++) {
          const v = rgba[((by + y) * width + bx + x) * 4 + channel];
          rest[y * BLOCK_PX + x] = v;
          sum += v;
          sumX += v * (x - middle);
          sumY += v * (y - middle);
          far += (x - middle) ** 2;
        }
      const light = sum / rest.length;
      let squares = 0;
      for (let y = 0; y < BLOCK_PX; y++)
        for (let x = 0; x < BLOCK_PX; x++) {
          const k = y * BLOCK_PX + x;
          rest[k] -= light + (sumX / far) * (x - middle) + (sumY / far) * (y - middle);
          squares += rest[k] ** 2;
        }
      let pairs = 0,
        products = 0;
      for (let y = 0; y < BLOCK_PX; y++)
        for (let x = 0; x < BLOCK_PX; x++) {
          const k = y * BLOCK_PX + x;
          if (x + 1 < BLOCK_PX) {
            products += rest[k] * rest[k + 1];
            pairs++;
          }
          if (y + 1 < BLOCK_PX) {
            products += rest[k] * rest[k + BLOCK_PX];
            pairs++;
          }
        }
      // Three numbers of the block went into the plane.
      const variance = squares / (rest.length - 3),
        alike = variance > 0 ? products / pairs / (squares / rest.length) : 0;
      if (Number.isFinite(variance)) out.push({ light, variance, alike });
    }
  }
  return out;
}

/** variance = floor + slope x light, neither below 0. */
function fitVariance(light: readonly number[], variance: readonly number[]): { floor: number; slope: number } {
  const lightMean = mean(light),
    varianceMean = mean(variance);
  let up = 0,
    across = 0;
  light.forEach((l, i) => {
    up += (l - lightMean) * (variance[i] - varianceMean);
    across += (l - lightMean) ** 2;
  });
  // Light that hardly differs tells no slope.
  const slope = across / light.length > (0.05 * lightMean) ** 2 ? Math.max(0, up / across) : 0;
  const floor = varianceMean - slope * lightMean;
  return floor >= 0 ? { floor, slope } : { floor: 0, slope: lightMean > 0 ? varianceMean / lightMean : 0 };
}

const LARGEST_SIZE_PX = 3;

/** What a block shows of grain of a softness: taking a plane off hides the more of it the softer it is. */
interface BlockView {
  /** Measured variance over the true one. */
  readonly variance: number;
  readonly alike: number;
}

/** The softness under which blocks have neighbours this much alike, and what is seen of its variance. */
function softnessOf(alike: number): { sizePx: number; seen: number } {
  let low = 0,
    high = LARGEST_SIZE_PX;
  if (alike <= viewOf(0.15).alike) return { sizePx: 0, seen: 1 };
  for (let n = 0; n < 16; n++) {
    const middle = (low + high) / 2;
    if (viewOf(middle).alike < alike) low = middle;
    else high = middle;
  }
  const sizePx = (low + high) / 2;
  return { sizePx, seen: viewOf(sizePx).variance };
}

/** Expected values for correlation C of the block's pixels: those of (I - P) C (I - P), P the projection on planes. */
function viewOf(sizePx: number): BlockView {
  const n = BLOCK_PX,
    half = sizePx < 0.05 ? Float64Array.of(1) : gaussian(sizePx),
    at = (k: number) => half[Math.abs(k)] ?? 0;
  const rho = Float64Array.from({ length: n }, (_, lag) => {
    let sum = 0,
      own = 0;
    for (let k = -half.length; k <= half.length; k++) {
      sum += at(k) * at(k + lag);
      own += at(k) ** 2;
    }
    return sum / own;
  });
  const middle = (n - 1) / 2,
    far = n * Array.from({ length: n }, (_, x) => (x - middle) ** 2).reduce((a, b) => a + b, 0);
  const count = n * n;
  const place = (i: number) => [i % n, Math.floor(i / n)] as const;
  const left = (i: number, j: number) => {
    const [xi, yi] = place(i),
      [xj, yj] = place(j);
    return (i === j ? 1 : 0) - 1 / count - ((xi - middle) * (xj - middle) + (yi - middle) * (yj - middle)) / far;
  };
  // Rows of (I - P) C, then only the products that are asked for.
  const half1 = new Float64Array(count * count);
  for (let i = 0; i < count; i++)
    for (let j = 0; j < count; j++) {
      const [xj, yj] = place(j);
      let sum = 0;
      for (let k = 0; k < count; k++) {
        const [xk, yk] = place(k);
        sum += left(i, k) * rho[Math.abs(xk - xj)] * rho[Math.abs(yk - yj)];
      }
      half1[i * count + j] = sum;
    }
  const both = (i: number, j: number) => {
    let sum = 0;
    for (let k = 0; k < count; k++) sum += half1[i * count + k] * left(k, j);
    return sum;
  };
  let own = 0,
    products = 0,
    pairs = 0;
  for (let i = 0; i < count; i++) {
    own += both(i, i);
    const [x, y] = place(i);
    if (x + 1 < n) {
      products += both(i, i + 1);
      pairs++;
    }
    if (y + 1 < n) {
      products += both(i, i + n);
      pairs++;
    }
  }
  return { variance: own / (count - 3), alike: products / pairs / (own / count) };
}

function mean(values: readonly number[]): number {
  return values.reduce((a, b) => a + b, 0) / Math.max(1, values.length);
}

/** Sum of four uniform numbers, brought to mean 0 and deviation 1: near enough to normal for grain. */
function noiseAt(x: number, y: number, seed: number): number {
  let sum = 0;
  for (let n = 0; n < 2; n++) {
    let h = Math.imul(x, 0x9e3779b1) ^ Math.imul(y, 0x85ebca77) ^ Math.imul(seed * 2 + n, 0xc2b2ae3d);
    h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
    h = Math.imul(h ^ (h >>> 12), 0x297a2d39);
    h ^= h >>> 15;
    sum += (h & 0xffff) + (h >>> 16);
  }
  return (sum / 65535 - 2) * Math.sqrt(3);
}

/**
 * Adds grain to rows [yFrom, yTo) of premultiplied RGBA over a plate that has its own: where CG covers a share of a pixel the plate keeps the
 * rest of its grain, and just what is missing is added. The same pixel of the same frame always gets the same grain.
 * @param covered share of each pixel, of the whole picture, that is not the plate's
 */
export function addGrain(
  rgba: Float32Array,
  width: number,
  { floor, slope, sizePx }: GrainModel,
  covered: Float32Array,
  frame: number,
  yFrom: number,
  yTo: number,
): void {
  const weights = sizePx > 0 ? gaussian(sizePx) : Float64Array.of(1);
  const reach = weights.length - 1;
  let norm = 0;
  weights.forEach((w, k) => (norm += (k === 0 ? 1 : 2) * w * w));
  const across = width + 2 * reach,
    rows = yTo - yFrom + 2 * reach;
  for (let c = 0; c < 3; c++) {
    const seed = frame * 3 + c,
      noise = new Float32Array(across * rows);
    for (let y = 0; y < rows; y++) for (let x = 0; x < across; x++) noise[y * across + x] = noiseAt(x - reach, yFrom + y - reach, seed);
    const soft = reach === 0 ? noise : softened(noise, across, rows, weights);
    for (let y = yFrom; y < yTo; y++)
      for (let x = 0; x < width; x++) {
        const kept = 1 - Math.min(1, Math.max(0, covered[y * width + x]));
        if (kept >= 1) continue;
        const i = (y * width + x) * 4 + c;
        const deviation = Math.sqrt(Math.max(0, floor[c] + slope[c] * Math.max(0, rgba[i])) * (1 - kept * kept));
        rgba[i] += (deviation * soft[(y - yFrom + reach) * across + x + reach]) / norm;
      }
  }
}

function softened(noise: Float32Array, width: number, height: number, weights: Float64Array): Float32Array {
  const once = new Float32Array(noise.length),
    twice = new Float32Array(noise.length),
    reach = weights.length - 1;
  for (let i = reach; i < noise.length - reach; i++) {
    let sum = weights[0] * noise[i];
    for (let k = 1; k <= reach; k++) sum += weights[k] * (noise[i - k] + noise[i + k]);
    once[i] = sum;
  }
  for (let i = reach * width; i < (height - reach) * width; i++) {
    let sum = weights[0] * once[i];
    for (let k = 1; k <= reach; k++) sum += weights[k] * (once[i - k * width] + once[i + k * width]);
    twice[i] = sum;
  }
  return twice;
}
