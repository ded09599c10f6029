import type { StoredPass } from './stored-pass';

/** What partly covered pixels hold, compared with the covered pixel beside them. */
export type EdgeRelation = 'multiplied' | 'untouched' | 'mixed';

const FEWEST = 60,
  REACH_PX = 3;

/**
 * Were the values multiplied by alpha? Stored value over that of the nearest covered pixel is alpha then, and 1 when they were not.
 * Whatever curve lies on the values, this holds. Null where too few pixels are partly covered, or their values are too near 0 to tell.
 */
export function relationToAlpha(pass: StoredPass, channels: readonly number[], alpha: Float32Array): EdgeRelation | null {
  const { width, height } = pass;
  let partial = 0,
    asAlpha = 0,
    asOne = 0;
  for (const c of channels) {
    const { data } = pass.channels[c];
    let most = 0;
    for (let i = 0; i < data.length; i += 7) if (alpha[i] > 0.99 && data[i] - data[i] === 0) most = Math.max(most, Math.abs(data[i]));
    for (let y = REACH_PX; y < height - REACH_PX; y++) {
      for (let x = REACH_PX; x < width - REACH_PX; x++) {
        const i = y * width + x;
        if (!(alpha[i] > 0.15 && alpha[i] < 0.85)) continue;
        const inside = coveredBeside(alpha, i, width);
        if (inside < 0) continue;
        const full = data[inside];
        if (!(Math.abs(full) > 0.15 * most)) continue;
        const ratio = data[i] / full;
        partial++;
        if (Math.abs(ratio - alpha[i]) < 0.06) asAlpha++;
        if (Math.abs(ratio - 1) < 0.06) asOne++;
      }
    }
  }
  if (partial < FEWEST) return null;
  if (asAlpha > 0.6 * partial) return 'multiplied';
  return asOne > 0.5 * partial ? 'untouched' : 'mixed';
}

/** The nearest covered pixel in the eight directions, -1 when there is none near. */
function coveredBeside(alpha: Float32Array, i: number, width: number): number {
  for (let d = 1; d <= REACH_PX; d++) {
    for (const step of [1, -1, width, -width, width + 1, width - 1, -width + 1, -width - 1]) {
      if (alpha[i + d * step] > 0.99) return i + d * step;
    }
  }
  return -1;
}

/**
 * Share of jumps between two motions that take a pixel in between, as a filtered or resized pass has. Only covered pixels are looked at.
 * Null when hardly any jump is there.
 */
export function mixedEdgeShare(pass: StoredPass, channel: number, range: number, covered: (i: number) => boolean): number | null {
  const { width, height } = pass,
    { data } = pass.channels[channel];
  const jump = 0.12 * range;
  let clean = 0,
    mixed = 0;
  for (let y = 2; y < height - 2; y++) {
    for (let x = 2; x < width - 2; x++) {
      const i = y * width + x;
      for (const step of [1, width]) {
        const before = data[i - step],
          here = data[i],
          after = data[i + step];
        const across = Math.abs(after - before);
        if (!(across > jump) || !covered(i - step) || !covered(i) || !covered(i + step)) continue;
        // The surfaces on both sides must be smooth themselves.
        if (Math.abs(data[i + 2 * step] - after) > 0.2 * across && Math.abs(data[i - 2 * step] - before) > 0.2 * across) continue;
        const share = (here - before) / (after - before);
        if (share > 0.2 && share < 0.8) mixed++;
        else clean++;
      }
    }
  }
  // A clean jump is met twice, from both of its pixels; one with a pixel in between once.
  const jumps = clean / 2 + mixed;
  return jumps < FEWEST ? null : mixed / jumps;
}
