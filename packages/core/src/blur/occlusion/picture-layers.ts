import { peakSpeed } from '../../raster/motion-field';
import type { BlurInput, BlurSteps } from '../model/blur-input';
import type { PathStudy } from '../paths/path-study';
import type { FoundSurfaces } from '../surfaces/find-surfaces';
import type { Surfaces } from '../surfaces/surfaces';
import { surfacesInBackground } from './clean-background';
import { enteringSides } from './entering';
import { FrameLook } from './frame-look';
import type { LayerPicture, LayerStudy } from './layer-study';
import { pictureOfSurface } from './picture-surface';
import { showThrough } from './transparency';

/** Every surface's own picture: what it shows, also where nearer ones hide it and beyond the picture's border. */
export interface LayerPictures {
  readonly study: LayerStudy;
  readonly pictures: ReadonlyMap<number, LayerPicture>;
}

export function pictureLayers(
  found: FoundSurfaces,
  paths: PathStudy,
  steps: BlurSteps,
  watch: (stage: 'paths' | 'hidden') => void,
): LayerPictures {
  const { input, surfaces, pure } = found,
    { rank } = found.order;
  const longestPx = Math.min(peakSpeed(input.motion), Math.max(input.width, input.height)),
    looks = looksOf(input);
  const study: LayerStudy = {
    ...found,
    paths,
    rank,
    rankOfId: ranksById(surfaces, rank),
    reachFrames: Math.max(input.reachFrames, 0.01),
    longestPx,
    looks,
    through: steps.through ? showThrough(input, surfaces, rank, pure, looks) : null,
    entering: enteringSides(surfaces, looks, longestPx),
    inBackground: surfacesInBackground(input, surfaces),
  };
  const pictures = new Map<number, LayerPicture>();
  for (let surface = 0; surface < surfaces.count; surface++) {
    const picture = pictureOfSurface(study, surface, watch);
    if (picture !== null) pictures.set(surface, picture);
  }
  return { study, pictures };
}

function ranksById({ idOf, count }: Surfaces, rank: Int32Array): Map<number, number> {
  const out = new Map<number, number>();
  for (let s = 0; s < count; s++) if (idOf[s] !== 0) out.set(idOf[s], Math.max(out.get(idOf[s]) ?? -1, rank[s]));
  return out;
}

function looksOf({ previous, next, hidden }: BlurInput): FrameLook[] {
  if (hidden === 'off') return [];
  return [...(next ? [new FrameLook(next, 1)] : []), ...(previous ? [new FrameLook(previous, -1)] : [])];
}
