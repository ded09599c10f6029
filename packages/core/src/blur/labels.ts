import type { MotionField } from '../motion/motion-field';

/** Which surface each pixel belongs to: an index into `surfaces`, or -1 where the picture is empty. */
export interface Labels {
  readonly of: Int32Array;
  readonly count: number;
  readonly from: 'ids' | 'depth and motion' | 'motion' | 'one layer';
}

/** More surfaces than this are joined to a neighbour, smallest first: every one costs memory and time. */
const MAX_SURFACES = 48;
const MIN_SURFACE_PX = 24;

/**
 * Labels from an id pass. Pixels with coverage but without an id (soft edges next to nothing) take the id beside them:
 * an edge next to nothing belongs wholly to the object.
 */
export function labelsFromIds(
  ids: Float32Array | Uint32Array,
  rgba: Float32Array,
  trusted: Uint8Array,
  width: number,
  height: number,
): Labels {
  const known = new Map<number, number>();
  const of = new Int32Array(width * height).fill(-1);
  for (let i = 0; i < of.length; i++) {
    if (rgba[i * 4 + 3] <= 0 || ids[i] === 0 || Number.isNaN(ids[i])) continue;
    let label = known.get(ids[i]);
    if (label === undefined) known.set(ids[i], (label = known.size));
    of[i] = label;
  }
  const count = completeEdges(of, known.size, rgba, trusted, width, height);
  return mergeSmall({ of, count, from: 'ids' }, width, height, 1);
}

/**
 * 1 where the data passes say something about a pixel. Renderers leave motion, depth and ids at zero in pixels that an
 * object only grazes; taken for "stands still" they tear the object's edge.
 */
export function trustedPixels(
  rgba: Float32Array,
  motion: MotionField,
  depth: Float32Array | null,
  ids: Float32Array | Uint32Array | null,
): Uint8Array {
  const trusted = new Uint8Array(motion.valid.length);
  const { toNext, toPrevious } = motion;
  for (let i = 0; i < trusted.length; i++) {
    if (motion.valid[i] === 0) continue;
    const still = toNext[i * 2] === 0 && toNext[i * 2 + 1] === 0 && toPrevious[i * 2] === 0 && toPrevious[i * 2 + 1] === 0;
    const grazed = still && rgba[i * 4 + 3] < 1 && (depth === null || depth[i] === 0) && (ids === null || ids[i] === 0);
    trusted[i] = grazed ? 0 : 1;
  }
  return trusted;
}

/** Grazed pixels join the surface beside them; what else has no label is one surface more ("everything else"). Returns the new count. */
function completeEdges(of: Int32Array, count: number, rgba: Float32Array, trusted: Uint8Array, width: number, height: number): number {
  adoptEdges(of, rgba, trusted, width, height);
  let rest = 0;
  for (let i = 0; i < of.length; i++) {
    if (of[i] >= 0 || rgba[i * 4 + 3] <= 0) continue;
    of[i] = count;
    rest = 1;
  }
  return count + rest;
}

const EDGE_RINGS = 3;

/** Untrusted, unlabelled pixels with coverage take a neighbour's label, a few rings deep. */
function adoptEdges(of: Int32Array, rgba: Float32Array, trusted: Uint8Array, width: number, height: number): void {
  for (let ring = 0; ring < EDGE_RINGS; ring++) {
    const before = of.slice();
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const i = y * width + x;
        if (before[i] < 0 && rgba[i * 4 + 3] > 0 && trusted[i] === 0) of[i] = neighbourLabel(before, x, y, width, height);
      }
    }
  }
}

function neighbourLabel(of: Int32Array, x: number, y: number, width: number, height: number): number {
  for (const [dx, dy] of [
    [-1, 0],
    [1, 0],
    [0, -1],
    [0, 1],
    [-1, -1],
    [1, -1],
    [-1, 1],
    [1, 1],
  ] as const) {
    const nx = x + dx,
      ny = y + dy;
    if (nx >= 0 && ny >= 0 && nx < width && ny < height && of[ny * width + nx] >= 0) return of[ny * width + nx];
  }
  return -1;
}

/**
 * Labels without ids: neighbouring pixels are one surface when their depth (about 3 %) and motion agree
 * (1 px and 15 % of the speed, both ways). Without depth the motion alone decides.
 */
export function labelsFromGeometry(motion: MotionField, depth: Float32Array | null, rgba: Float32Array, trusted: Uint8Array): Labels {
  const { width, height } = motion;
  const parent = new Int32Array(width * height);
  for (let i = 0; i < parent.length; i++) parent[i] = rgba[i * 4 + 3] > 0 && trusted[i] === 1 ? i : -1;
  const find = (i: number): number => {
    while (parent[i] !== i) i = parent[i] = parent[parent[i]];
    return i;
  };
  const join = (a: number, b: number): void => {
    if (parent[a] < 0 || parent[b] < 0 || !agree(motion, depth, a, b)) return;
    const ra = find(a),
      rb = find(b);
    if (ra !== rb) parent[Math.max(ra, rb)] = Math.min(ra, rb);
  };
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (x + 1 < width) join(i, i + 1);
      if (y + 1 < height) join(i, i + width);
    }
  }
  const of = new Int32Array(width * height).fill(-1);
  const known = new Map<number, number>();
  for (let i = 0; i < of.length; i++) {
    if (parent[i] < 0) continue;
    const root = find(i);
    let label = known.get(root);
    if (label === undefined) known.set(root, (label = known.size));
    of[i] = label;
  }
  const count = completeEdges(of, known.size, rgba, trusted, width, height);
  return mergeSmall({ of, count, from: depth === null ? 'motion' : 'depth and motion' }, width, height, MIN_SURFACE_PX);
}

function agree(motion: MotionField, depth: Float32Array | null, a: number, b: number): boolean {
  if (depth !== null && Math.abs(depth[a] - depth[b]) > 0.03 * Math.min(Math.abs(depth[a]), Math.abs(depth[b]))) return false;
  for (const v of [motion.toNext, motion.toPrevious]) {
    const dx = v[a * 2] - v[b * 2],
      dy = v[a * 2 + 1] - v[b * 2 + 1];
    const limit = 1 + 0.15 * Math.max(Math.abs(v[a * 2]), Math.abs(v[a * 2 + 1]));
    if (dx * dx + dy * dy > limit * limit) return false;
  }
  return true;
}

/** Joins surfaces under `minPixels`, and the smallest beyond MAX_SURFACES, to the neighbour they touch most. */
function mergeSmall(labels: Labels, width: number, height: number, minPixels: number): Labels {
  const sizes = new Int32Array(labels.count);
  for (const label of labels.of) if (label >= 0) sizes[label]++;
  const bySize = [...sizes.keys()].sort((a, b) => sizes[b] - sizes[a]);
  const keep = new Set(bySize.slice(0, MAX_SURFACES).filter((label, rank) => rank === 0 || sizes[label] >= minPixels));
  const target = new Int32Array(labels.count).fill(-1);
  [...keep].forEach((label, index) => {
    target[label] = index;
  });
  if (keep.size < labels.count) {
    const touches = Array.from({ length: labels.count }, () => new Map<number, number>());
    for (let i = 0; i < labels.of.length; i++) {
      for (const j of [(i % width) + 1 < width ? i + 1 : -1, i + width < width * height ? i + width : -1]) {
        if (j < 0) continue;
        const a = labels.of[i],
          b = labels.of[j];
        if (a < 0 || b < 0 || a === b) continue;
        if (keep.has(b)) touches[a].set(b, (touches[a].get(b) ?? 0) + 1);
        if (keep.has(a)) touches[b].set(a, (touches[b].get(a) ?? 0) + 1);
      }
    }
    for (let label = 0; label < labels.count; label++) {
      if (target[label] >= 0) continue;
      const best = [...touches[label]].sort((a, b) => b[1] - a[1])[0];
      target[label] = target[best?.[0] ?? bySize[0]];
    }
  }
  const of = labels.of.map((label) => (label < 0 ? -1 : target[label]));
  return { of, count: Math.max(keep.size, labels.count > 0 ? 1 : 0), from: labels.from };
}

export function oneLabel(rgba: Float32Array): Labels {
  const of = new Int32Array(rgba.length / 4);
  for (let i = 0; i < of.length; i++) of[i] = rgba[i * 4 + 3] > 0 ? 0 : -1;
  return { of, count: 1, from: 'one layer' };
}
