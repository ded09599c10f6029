/** A light pass of a picture: reflection, refraction, specular. */
export interface LightPicture {
  /** As the artist knows it. */
  readonly name: string;
  /** Interleaved premultiplied RGBA, scene-linear; its alpha does not count. */
  readonly rgba: Float32Array;
}

/** Brighter than the picture by this share, and by this much, a light pass is no part of it there. */
const BRIGHTER = 0.05,
  BRIGHTER_BY = 0.02,
  /** Rounding, noise and clipping make up less than this share of what is lit. */
  MOST_FOREIGN = 0.03;

/**
 * Takes light passes out of a picture that they are part of, all of equal size. What is left may be below zero where the renderer rounded or
 * clipped: only then the sum is the picture again. Returns in sentences which of them do not belong to the picture: rendered apart, graded, or of
 * another frame.
 */
export function takeLights(rgba: Float32Array, lights: readonly LightPicture[]): string[] {
  const foreign: string[] = [];
  for (const { name, rgba: light } of lights) {
    const share = foreignShare(rgba, light);
    if (share > MOST_FOREIGN)
      foreign.push(
        `${Math.round(share * 100)} % of what is lit in the light pass ${name} is brighter than the beauty: it seems to be no part of it, and what it leaves is too dark`,
      );
    for (let i = 0; i < rgba.length; i++) if (i % 4 !== 3) rgba[i] -= light[i];
  }
  return foreign;
}

/** Gives a light pass the alpha of its surface's picture. `isStraight`: its colours are not multiplied by it yet. */
export function coverLight(light: Float32Array, surface: Float32Array, isStraight: boolean): void {
  for (let i = 3; i < light.length; i += 4) {
    light[i] = surface[i];
    if (isStraight) for (let c = 1; c <= 3; c++) light[i - c] *= surface[i];
  }
}

/** Adds a light pass, so many times as bright; the picture's alpha stays: light covers nothing. */
export function addLight(rgba: Float32Array, light: Float32Array, factor = 1): void {
  for (let i = 0; i < rgba.length; i++) if (i % 4 !== 3) rgba[i] += factor * light[i];
}

/** The share of a light pass's lit pixels at which it is brighter than the picture. */
function foreignShare(rgba: Float32Array, light: Float32Array): number {
  let lit = 0,
    foreign = 0;
  for (let i = 0; i < rgba.length; i += 4) {
    const sum = light[i] + light[i + 1] + light[i + 2];
    if (!(sum > 3 * BRIGHTER_BY)) continue;
    lit++;
    if (sum > (rgba[i] + rgba[i + 1] + rgba[i + 2]) * (1 + BRIGHTER) + 3 * BRIGHTER_BY) foreign++;
  }
  return lit === 0 ? 0 : foreign / lit;
}
