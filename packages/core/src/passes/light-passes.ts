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

/** Multiplies a light pass by the alpha of the picture that it is part of, where it is stored without it. */
export function multiplyLight(light: Float32Array, surface: Float32Array): void {
  for (let i = 3; i < light.length; i += 4) for (let c = 1; c <= 3; c++) light[i - c] *= surface[i];
}

/** Darker in every channel, a pixel is not lit: a tenth of a step of 8 bits. */
const LEAST_LIT = 1e-4,
  /** How far around its light a pass covers anything, as a share of the width: what stands before the light is to hold it back there. */
  REACH = 1 / 40;

/**
 * Gives a light pass the alpha of its surface's picture (null: opaque) around what is lit, and none elsewhere: where nothing shines there is nothing to
 * blur, and motion that was estimated there means nothing. RGBA of equal sizes, changed in place.
 */
export function coverLight(light: Float32Array, surface: Float32Array | null, width: number): void {
  const height = light.length / 4 / width,
    reach = Math.ceil(width * REACH);
  const lit = new Uint8Array(width * height);
  for (let i = 0; i < lit.length; i++) {
    let most = 0;
    for (let c = i * 4; c < i * 4 + 3; c++) most = Math.max(most, Math.abs(light[c]));
    lit[i] = most > LEAST_LIT ? 1 : 0;
  }
  const near = widen(widen(lit, width, height, 1, width, reach), height, width, width, 1, reach);
  for (let i = 0; i < near.length; i++) light[i * 4 + 3] = near[i] === 0 ? 0 : (surface?.[i * 4 + 3] ?? 1);
}

/** Marks all within `reach` of what is marked, along lines of `length` places that are `step` apart; `count` lines, `across` apart. */
function widen(marks: Uint8Array, length: number, count: number, step: number, across: number, reach: number): Uint8Array {
  const out = new Uint8Array(marks.length);
  for (let n = 0; n < count; n++) {
    for (let k = 0, end = 0; k < length; k++) {
      if (marks[n * across + k * step] === 0) continue;
      // What the last mark reached is marked already.
      const to = Math.min(length, k + reach + 1);
      for (let j = Math.max(end, k - reach); j < to; j++) out[n * across + j * step] = 1;
      end = Math.max(end, to);
    }
  }
  return out;
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
