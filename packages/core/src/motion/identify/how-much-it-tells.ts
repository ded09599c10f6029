import { quantile } from './pass-samples';
import type { StoredPass } from './stored-pass';

const LOOKED_AT = 3000;

/**
 * How much a frame's pass can tell of its encoding, to compare frames of one pass: how far its values lie apart in every channel (the fastest tell scale), and
 * how evenly they fill that range (different motions tell more than one). Stored units; 0 where nothing moves.
 */
export function howMuchItTells({ channels, width, height }: StoredPass): number {
  const every = Math.max(1, Math.floor((width * height) / LOOKED_AT)) | 1;
  return channels.reduce((sum, { data }) => {
    const values = Float32Array.from({ length: Math.floor(data.length / every) }, (_, k) => data[k * every]);
    const [lowest, low, high, highest] = [0.002, 0.1, 0.9, 0.998].map((p) => quantile(values, p));
    const range = highest - lowest;
    return range > 0 ? sum + range + (high - low) : sum;
  }, 0);
}
