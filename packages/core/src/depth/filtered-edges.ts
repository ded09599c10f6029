import { decodeDepth } from './decode-depth';
import type { DepthDetection } from './depth-detection';
import type { DepthEncoding } from './depth-encoding';
import type { DepthPlane } from './depth-frame';

/** From this share of edges on a pass was filtered; unfiltered ones have a few slivers. */
export const FILTERED = 0.35;
const FEWEST_EDGES = 60,
  /** A step of depth, relative to the nearer side; how level both sides of it are, and where a mixed value lies, as shares of the stored step. */
  STEP = 0.1,
  LEVEL = 0.1,
  MIXED = [0.22, 0.78] as const;

/** Share of the steps of depth whose middle is neither side: level for two pixels, something between, level again. */
export function mixedShare([{ stored, width, height, alpha }]: readonly DepthPlane[], encoding: DepthEncoding): number {
  const { data } = stored,
    distance = decodeDepth({ ...stored, width }, encoding);
  let edges = 0,
    mixed = 0;
  for (let y = 3; y < height - 3; y++)
    for (let x = 3; x < width - 3; x++) {
      const i = y * width + x;
      if (alpha !== null && alpha[i] <= 0) continue;
      for (const by of [1, width]) {
        const before = i - 2 * by,
          after = i + 2 * by;
        if (!(Math.abs(distance[before] - distance[after]) > STEP * Math.min(distance[before], distance[after]))) continue;
        const step = data[after] - data[before],
          limit = LEVEL * Math.abs(step);
        if (
          !Number.isFinite(step) ||
          Math.abs(data[before] - data[before - by]) > limit ||
          Math.abs(data[after] - data[after + by]) > limit
        )
          continue;
        edges++;
        const share = (data[i] - data[before]) / step;
        if (share > MIXED[0] && share < MIXED[1]) mixed++;
      }
    }
  return edges < FEWEST_EDGES ? 0 : mixed / edges;
}

export function filteredIssue(mixed: number): DepthDetection['issues'][number] {
  return {
    code: 'filteredEdges',
    severity: 'warning',
    message: `${Math.round(mixed * 100)} % of its edges hold values between two surfaces: the pass was filtered. They take the depth of what they belong to.`,
  };
}
