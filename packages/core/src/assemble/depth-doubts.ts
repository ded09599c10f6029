/** What speaks against blurring by a depth pass. Shares are 0 to 1. */
export interface DepthDoubts {
  /** Of the pixels on depth edges: those whose depth lies between both sides, where nothing is. Filtered passes have it everywhere. */
  readonly mixedShare: number;
  /** Of the covered pixels: those that are half clear away from any edge, where one depth stands for several things. */
  readonly softShare: number;
  /** Of the covered pixels: those without a usable depth. */
  readonly missingShare: number;
}

export const MIXED_DEPTH = 0.25,
  SOFT_DEPTH = 0.2,
  MISSING_DEPTH = 0.05;

/** A step of depth, relative to the depth, that is an edge and not a slope. */
const EDGE_STEP = 0.1,
  /** From an edge of coverage on, this far. */
  NEAR_PX = 3;

/** Looks at one frame's depth and coverage. */
export function depthDoubts(depth: Float32Array, alpha: Float32Array, width: number): DepthDoubts {
  const height = depth.length / width;
  let covered = 0,
    missing = 0,
    soft = 0,
    edges = 0,
    mixed = 0;
  const has = (i: number) => alpha[i] > 0.02 && depth[i] > 0 && Number.isFinite(depth[i]);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (!(alpha[i] > 0.02)) continue;
      covered++;
      if (!has(i)) {
        missing++;
        continue;
      }
      if (alpha[i] > 0.05 && alpha[i] < 0.95 && !nearEdge(alpha, width, height, x, y)) soft++;
      if (x === 0 || y === 0 || x === width - 1 || y === height - 1) continue;
      for (const step of [1, width]) {
        if (!has(i - step) || !has(i + step)) continue;
        const low = Math.min(depth[i - step], depth[i + step]),
          high = Math.max(depth[i - step], depth[i + step]);
        if (high - low < EDGE_STEP * low) continue;
        edges++;
        const share = (depth[i] - low) / (high - low);
        if (share > 0.1 && share < 0.9) mixed++;
      }
    }
  }
  return {
    // Every hard edge is met twice, a filtered one at least three times.
    mixedShare: edges < 50 ? 0 : mixed / edges,
    softShare: covered === 0 ? 0 : soft / covered,
    missingShare: covered === 0 ? 0 : missing / covered,
  };
}

/** Both a clear and a covered pixel are near: this is an edge, not a veil. */
function nearEdge(alpha: Float32Array, width: number, height: number, x: number, y: number): boolean {
  let clear = false,
    full = false;
  for (let dy = -NEAR_PX; dy <= NEAR_PX; dy++)
    for (let dx = -NEAR_PX; dx <= NEAR_PX; dx++) {
      const px = x + dx,
        py = y + dy;
      if (px < 0 || py < 0 || px >= width || py >= height) continue;
      const a = alpha[py * width + px];
      if (a <= 0.02) clear = true;
      if (a >= 0.98) full = true;
    }
  return clear && full;
}
