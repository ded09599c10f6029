import type { BlurFramePasses, BlurSteps } from '../model/blur-input';
import type { FoundSurfaces } from '../surfaces/find-surfaces';
import { trustedPixels } from '../surfaces/trusted-pixels';
import type { NeighbourField, PathStudy } from './path-study';
import { quietVectors } from './quiet-vectors';

/** What the paths of a frame's surfaces are fitted to: its vectors and those of its neighbours, their noise taken off. */
export function studyPaths({ input, surfaces, trusted }: FoundSurfaces, model: PathStudy['model'], steps: BlurSteps): PathStudy {
  const { width, height, motion, previous, next } = input;
  const keys = new Int32Array(surfaces.of);
  for (let i = 0; i < keys.length; i++) if (trusted[i] === 0) keys[i] = -1;
  const neighbour = (passes: BlurFramePasses | null | undefined): NeighbourField | null => {
    if (!steps.chain || !passes || !passes.motion.twoSided || !motion.twoSided) return null;
    const known = passes.known?.trusted ?? trustedPixels(passes),
      ids = input.ids === null ? null : passes.ids,
      hasIds = ids !== null;
    const thereKeys = new Float64Array(known.length);
    for (let i = 0; i < known.length; i++) thereKeys[i] = known[i] === 0 ? -1 : ids === null ? 0 : ids[i];
    return quietVectors({ width, height, keys: thereKeys, toNext: passes.motion.toNext, toPrevious: passes.motion.toPrevious, hasIds });
  };
  return {
    model,
    shear: steps.shear,
    field: quietVectors({ width, height, keys, toNext: motion.toNext, toPrevious: motion.toPrevious }),
    depth: input.depth,
    idOf: surfaces.idOf,
    after: neighbour(next),
    before: neighbour(previous),
  };
}
