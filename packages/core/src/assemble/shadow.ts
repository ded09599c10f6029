import { lumaAt } from '../colour/luma';
import { softenPlane } from './matte-edge';

/** How a shadow pass says where shadow is: its alpha (or brightness) is the density, or its colours are the light that is left. */
export type ShadowReading = 'density' | 'light';
/** `multiply`: what is below is multiplied by the light that is left, its colour included. `holdOut`: light is held out by the density alone. */
export type ShadowWay = 'multiply' | 'holdOut';

export interface ShadowChoice {
  readonly reads: ShadowReading;
  readonly way: ShadowWay;
}

/**
 * A shadow pass as a picture that is laid on what is below: for `multiply` the light that is left, opaque; for `holdOut` black with the density
 * as its alpha. `softenPx`: standard deviation.
 */
export function shadowPicture(
  rgba: Float32Array,
  width: number,
  height: number,
  hasAlpha: boolean,
  { reads, way }: ShadowChoice,
  softenPx: number,
): Float32Array {
  const count = width * height;
  const planes = Array.from({ length: way === 'multiply' ? 3 : 1 }, (_, c) => {
    const density = new Float32Array(count);
    for (let i = 0; i < count; i++) {
      const luma = lumaAt(rgba, i);
      const shade =
        reads === 'density'
          ? hasAlpha
            ? rgba[i * 4 + 3]
            : luma
          : // Premultiplied light over an empty picture: where there is no alpha all light is left.
            (hasAlpha ? rgba[i * 4 + 3] : 1) - (way === 'multiply' ? rgba[i * 4 + c] : luma);
      density[i] = Math.min(1, Math.max(0, shade)) || 0;
    }
    return softenPlane(density, width, height, softenPx);
  });
  const out = new Float32Array(count * 4);
  for (let i = 0; i < count; i++) {
    if (way === 'multiply') for (let c = 0; c < 3; c++) out[i * 4 + c] = 1 - planes[c][i];
    out[i * 4 + 3] = way === 'multiply' ? 1 : planes[0][i];
  }
  return out;
}

/** Which of the two a pass looks like, from the value that most of it rests at: light rests near 1, density near 0. */
export function likelyShadowReading(hasAlpha: boolean, rest: number): ShadowReading {
  return !hasAlpha && rest > 0.5 ? 'light' : 'density';
}
