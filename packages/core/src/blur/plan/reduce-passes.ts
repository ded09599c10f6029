import type { Size } from '../model/blur-plan';
import type { BlurFramePasses } from '../model/blur-input';
import { emptyMotionField } from '../../raster/motion-field';

/** The size that `reducePasses` gives. */
export function reducedSize({ width, height }: Size, factor: number): Size {
  return { width: Math.ceil(width / factor), height: Math.ceil(height / factor) };
}

/**
 * A frame's passes at 1/factor of their size, for a quick look: colour as the mean of each block, data of its middle pixel (a mean of two surfaces'
 * vectors, depths or ids is nobody's), vectors in the new pixels. The same passes for factor 1.
 * @param factor whole, at least 1
 */
export function reducePasses(passes: BlurFramePasses, factor: number): BlurFramePasses {
  if (factor === 1) return passes;
  const { motion, depth, ids } = passes,
    { width, height } = motion,
    size = reducedSize(motion, factor);
  const field = emptyMotionField(size.width, size.height, motion.twoSided);
  const smallDepth = depth && new Float32Array(size.width * size.height),
    smallIds = ids && (ids instanceof Uint32Array ? new Uint32Array(size.width * size.height) : new Float32Array(size.width * size.height));
  for (let y = 0; y < size.height; y++) {
    const sy = Math.min(height - 1, y * factor + (factor >> 1));
    for (let x = 0; x < size.width; x++) {
      const from = sy * width + Math.min(width - 1, x * factor + (factor >> 1)),
        to = y * size.width + x;
      field.valid[to] = motion.valid[from];
      for (let c = 0; c < 2; c++) {
        field.toNext[to * 2 + c] = motion.toNext[from * 2 + c] / factor;
        field.toPrevious[to * 2 + c] = motion.toPrevious[from * 2 + c] / factor;
      }
      if (depth && smallDepth) smallDepth[to] = depth[from];
      if (ids && smallIds) smallIds[to] = ids[from];
    }
  }
  return { rgba: reduceColours(passes.rgba, motion, factor), motion: field, depth: smallDepth, ids: smallIds };
}

/** Interleaved RGBA as the mean of each block. */
export function reduceColours(rgba: Float32Array, { width, height }: Size, factor: number): Float32Array {
  if (factor === 1) return rgba;
  const size = reducedSize({ width, height }, factor),
    out = new Float32Array(size.width * size.height * 4);
  for (let y = 0; y < size.height; y++) {
    const yTo = Math.min(height, (y + 1) * factor);
    for (let x = 0; x < size.width; x++) {
      const xTo = Math.min(width, (x + 1) * factor),
        to = (y * size.width + x) * 4;
      let count = 0;
      for (let sy = y * factor; sy < yTo; sy++) {
        for (let sx = x * factor; sx < xTo; sx++) {
          const from = (sy * width + sx) * 4;
          for (let c = 0; c < 4; c++) out[to + c] += rgba[from + c];
          count++;
        }
      }
      for (let c = 0; c < 4; c++) out[to + c] /= count;
    }
  }
  return out;
}
