import type { BlurSteps } from '../model/blur-input';
import type { LayerPictures } from '../occlusion/picture-layers';
import { separateEdges } from './separate-edges';
import { takeOffBehind } from './soft-overlaps';
import { takeApartThrough } from './take-apart';

export interface SeparatedLayers extends LayerPictures {
  /** Pixels shared by two surfaces that were taken apart. */
  readonly separatedPixels: number;
}

/** Takes pixels that several surfaces share apart, in place: what shows through, opaque edges, soft things over soft things. */
export function separateLayers(layers: LayerPictures, steps: BlurSteps): SeparatedLayers {
  const { study, pictures } = layers;
  if (study.through !== null) takeApartThrough(study.through, study.input, pictures);
  const separatedPixels = steps.edges ? separateEdges(study, pictures) + takeOffBehind(study, pictures) : 0;
  return { ...layers, separatedPixels };
}
