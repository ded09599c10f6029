/** Of the edges between two ids, this share must hold values between both: a filter spares no edge, and an object that thin and that often there is none. */
const FILTERED = 0.5,
  FEWEST_EDGES = 60,
  MIXED = [0.1, 0.9] as const;

/**
 * Ids whose edges were filtered as if they were a picture, with every mixed value given to the one of its neighbours that it is nearer to. The same
 * array when its edges are clean.
 */
export function wholeIds(ids: Float32Array, width: number): Float32Array {
  if (!isFiltered(ids, width)) return ids;
  const out = ids.slice(),
    height = ids.length / width;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (isOwn(ids, width, height, x, y)) continue;
      let best = Infinity;
      for (let ny = Math.max(0, y - REACH_PX); ny <= Math.min(height - 1, y + REACH_PX); ny++)
        for (let nx = Math.max(0, x - REACH_PX); nx <= Math.min(width - 1, x + REACH_PX); nx++) {
          if (!isOwn(ids, width, height, nx, ny)) continue;
          const miss = Math.abs(ids[ny * width + nx] - ids[i]);
          if (miss < best) [best, out[i]] = [miss, ids[ny * width + nx]];
        }
    }
  return out;
}

/** Filters are no wider. */
const REACH_PX = 3;

/** Inside an object: two neighbours in a row, or a corner of three, hold the same value. */
function isOwn(ids: Float32Array, width: number, height: number, x: number, y: number): boolean {
  const i = y * width + x,
    id = ids[i];
  const left = x > 0 && ids[i - 1] === id,
    right = x + 1 < width && ids[i + 1] === id,
    above = y > 0 && ids[i - width] === id,
    below = y + 1 < height && ids[i + width] === id;
  return (left || right) && (above || below);
}

/** Level for two pixels, something else, level again: is that a clean step, or is something between? */
function isFiltered(ids: Float32Array, width: number): boolean {
  const height = ids.length / width;
  let edges = 0,
    mixed = 0;
  for (let y = 3; y < height - 3; y++)
    for (let x = 3; x < width - 3; x++) {
      const i = y * width + x;
      for (const by of [1, width]) {
        const before = ids[i - 2 * by],
          after = ids[i + 2 * by];
        if (before === after || before !== ids[i - 3 * by] || after !== ids[i + 3 * by] || !Number.isFinite(after - before)) continue;
        edges++;
        const share = (ids[i] - before) / (after - before);
        if (share > MIXED[0] && share < MIXED[1]) mixed++;
      }
    }
  return edges >= FEWEST_EDGES && mixed > FILTERED * edges;
}
