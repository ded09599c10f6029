import type { BlurFramePasses } from '../model/blur-input';
import { distrustMixedEdges } from './mixed-edges';

/**
 * 1 where the data passes say something about a pixel. Renderers leave motion, depth and ids at zero in pixels that an
 * object only grazes; taken for "stands still" they tear the object's edge.
 */
export function trustedPixels(passes: BlurFramePasses): Uint8Array {
  const { rgba, motion, depth, ids } = passes;
  const trusted = new Uint8Array(motion.valid.length);
  const { toNext, toPrevious } = motion;
  for (let i = 0; i < trusted.length; i++) {
    if (motion.valid[i] === 0) continue;
    const still = toNext[i * 2] === 0 && toNext[i * 2 + 1] === 0 && toPrevious[i * 2] === 0 && toPrevious[i * 2 + 1] === 0;
    const grazed = still && rgba[i * 4 + 3] < 1 && (depth === null || depth[i] === Infinity) && (ids === null || ids[i] === 0);
    trusted[i] = grazed ? 0 : 1;
  }
  distrustMixedEdges(passes, trusted);
  return trusted;
}
