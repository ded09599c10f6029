import { FIT_NUMBERS, fitAffine, GRADIENT, type FitWindow, type KeyedField } from './affine-fit';

/** Vectors with less noise than this (standard deviation, pixels per frame) are left as they are. */
const QUIET_PX = 0.06;
/** Half the widest window, in pixels. */
const MOST_RADIUS = 3;
/** Near an edge: all of 9 x 9 has a say. */
const BESIDE: FitWindow = { radiusPx: 4, corePx: 4 };
/** Places at which the noise is measured. */
const SAMPLES = 5000;

export interface VectorField extends KeyedField {
  readonly toNext: Float32Array;
  readonly toPrevious: Float32Array;
}

/**
 * A field whose vectors are noisy, with each as the mean over the 7 x 7 pixels around it or, where not all of them are of its surface, as those of
 * its surface within 9 x 9 say by an affine fit: a motion that is affine there stays what it is. The same field when its vectors are quiet, as those
 * of a render are.
 */
export function quietVectors<T extends VectorField>(field: T): T {
  if (Math.max(noiseOf(field, field.toNext), noiseOf(field, field.toPrevious)) < QUIET_PX) return field;
  const radius = radii(field);
  const quiet = { toNext: means(field, field.toNext, radius), toPrevious: means(field, field.toPrevious, radius) };
  fitBeside(field, radius, quiet);
  return { ...field, ...quiet };
}

/**
 * Standard deviation of the noise of one component: from second differences within a surface, which vanish for affine motion, are small for smooth
 * one, and have six times the noise's variance; by their median, so that edges have no say.
 */
export function noiseOf({ width, height, keys }: KeyedField, vectors: Float32Array): number {
  const differences: number[] = [];
  const stride = Math.max(1, Math.floor((width * height) / SAMPLES));
  for (let i = 1 + (stride >> 1); i < width * height - 1; i += stride) {
    if (keys[i] < 0 || keys[i - 1] !== keys[i] || keys[i + 1] !== keys[i] || i % width === 0 || (i + 1) % width === 0) continue;
    for (let c = 0; c < 2; c++) differences.push(Math.abs(vectors[i * 2 - 2 + c] - 2 * vectors[i * 2 + c] + vectors[i * 2 + 2 + c]));
  }
  const sorted = Float64Array.from(differences).sort();
  return (sorted.at(sorted.length >> 1) ?? 0) / (0.6745 * Math.sqrt(6));
}

/** By pixel: how far its surface reaches in every direction, in whole pixels up to MOST_RADIUS. */
function radii({ width, height, keys }: KeyedField): Uint8Array {
  const out = new Uint8Array(width * height).fill(MOST_RADIUS);
  const AROUND = [-width - 1, -width, -width + 1, -1, 1, width - 1, width, width + 1];
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const isBorder = x === 0 || y === 0 || x === width - 1 || y === height - 1;
      if (isBorder || keys[i] < 0 || AROUND.some((step) => keys[i + step] !== keys[i])) out[i] = 0;
    }
  }
  // One more with every step from the edge, as far as MOST_RADIUS.
  for (let r = 1; r < MOST_RADIUS; r++) {
    for (let y = 1; y < height - 1; y++) {
      for (let x = 1; x < width - 1; x++) {
        const i = y * width + x;
        if (out[i] > r && AROUND.some((step) => out[i + step] < r)) out[i] = r;
      }
    }
  }
  return out;
}

function means({ width }: KeyedField, vectors: Float32Array, radius: Uint8Array): Float32Array {
  const out = vectors.slice(),
    r = MOST_RADIUS,
    count = (2 * r + 1) ** 2;
  for (let i = 0; i < radius.length; i++) {
    if (radius[i] < r) continue;
    let x = 0,
      y = 0;
    for (let row = i - r * width; row <= i + r * width; row += width) {
      for (let j = row - r; j <= row + r; j++) {
        x += vectors[j * 2];
        y += vectors[j * 2 + 1];
      }
    }
    out[i * 2] = x / count;
    out[i * 2 + 1] = y / count;
  }
  return out;
}

/** Near an edge: what the surface's own pixels around say by an affine fit. Left alone where they are too few or in a line. */
function fitBeside(field: VectorField, radius: Uint8Array, quiet: Pick<VectorField, 'toNext' | 'toPrevious'>): void {
  const { width, keys } = field,
    sets = [field.toNext, field.toPrevious],
    fits = new Float64Array(2 * FIT_NUMBERS);
  for (let i = 0; i < radius.length; i++) {
    if (radius[i] === MOST_RADIUS || keys[i] < 0) continue;
    const x = i % width;
    if (fitAffine(field, keys[i], sets, x, (i - x) / width, true, fits, null, 0, BESIDE) < GRADIENT) continue;
    for (let c = 0; c < 2; c++) {
      quiet.toNext[i * 2 + c] = fits[c];
      quiet.toPrevious[i * 2 + c] = fits[FIT_NUMBERS + c];
    }
  }
}
