import type { BlurInput } from '../model/blur-input';
import { orderSurfaces, type SurfaceOrder } from './order';
import { purePixels } from './pure-pixels';
import { boundsOf, type SurfaceBounds } from './surface-bounds';
import { surfacesOf, type Surfaces } from './surfaces';
import { trustedPixels } from './trusted-pixels';

/** A frame's surfaces: which pixel is of which, where each lies, and which is in front. */
export interface FoundSurfaces {
  readonly input: BlurInput;
  /** 1 where the data passes say something about a pixel. */
  readonly trusted: Uint8Array;
  readonly surfaces: Surfaces;
  /** 1 where the whole 3 x 3 neighbourhood of a pixel is of its surface. */
  readonly pure: Uint8Array;
  /** By surface; undefined when no pixel shows it. */
  readonly bounds: readonly (SurfaceBounds | undefined)[];
  readonly order: SurfaceOrder;
}

export function findSurfaces(input: BlurInput): FoundSurfaces {
  const trusted = input.known?.trusted ?? trustedPixels(input),
    surfaces = surfacesOf(input, trusted);
  return {
    input,
    trusted,
    surfaces,
    pure: purePixels(surfaces.of, input.width, input.height),
    bounds: boundsOf(input, surfaces),
    order: orderSurfaces(surfaces, input, trusted),
  };
}
