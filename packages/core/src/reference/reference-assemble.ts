import type { Blend } from '../assemble/blend';
import type { Grade } from '../assemble/grade';

/** Slow, one colour at a time, powers where production code has tables. */

const luma = (c: readonly number[]) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

/** A straight colour under a grade without curves. */
export function referenceGrade(colour: readonly [number, number, number], grade: Grade): number[] {
  const gains = [2 ** (grade.warmth / 2 + grade.tint / 4), 2 ** (-grade.tint / 2), 2 ** (-grade.warmth / 2 + grade.tint / 4)];
  const graded = colour.map((v, c) => {
    const lit = (v * gains[c] * 2 ** grade.exposure) / luma(gains) + grade.offset;
    if (lit <= 0) return lit;
    return Math.pow(grade.pivot * Math.pow(lit / grade.pivot, grade.contrast), 1 / grade.gamma);
  });
  const y = luma(graded);
  return graded.map((v) => y + (v - y) * grade.saturation);
}

/** One pixel on another, both premultiplied RGBA. */
export function referenceBlend(below: readonly number[], above: readonly number[], blend: Blend, opacity: number): number[] {
  const s = above.map((v) => v * opacity),
    covers = below[3] + s[3] - below[3] * s[3];
  switch (blend) {
    case 'over':
      return below.map((d, c) => s[c] + d - d * s[3]);
    case 'add':
      return [...[0, 1, 2].map((c) => below[c] + s[c]), covers];
    case 'multiply':
      return [...[0, 1, 2].map((c) => below[c] * (1 - s[3]) + below[c] * s[c]), below[3]];
    case 'screen':
      return [...[0, 1, 2].map((c) => (below[c] >= 1 ? below[c] : 1 - (1 - below[c]) * (1 - s[c]))), covers];
  }
}

/** Every pixel's light given out to its whole aperture: the even-surface sum of `defocusPicture`, from the other side. Round apertures. */
export function referenceDefocus(rgba: Float32Array, width: number, height: number, radii: Float32Array): Float32Array {
  const sum = new Float64Array(rgba.length),
    weights = new Float64Array(width * height);
  const part = (radius: number, distance: number) => (distance === 0 ? 1 : Math.min(1, Math.max(0, radius - distance + 0.5)));
  for (let i = 0; i < weights.length; i++) {
    const x = i % width,
      y = Math.floor(i / width),
      radius = Math.round(radii[i] * 8) / 8,
      reach = Math.ceil(radius + 1);
    let area = 0;
    for (let dy = -reach; dy <= reach; dy++) for (let dx = -reach; dx <= reach; dx++) area += part(radius, Math.hypot(dx, dy));
    for (let dy = -reach; dy <= reach; dy++)
      for (let dx = -reach; dx <= reach; dx++) {
        if (x + dx < 0 || y + dy < 0 || x + dx >= width || y + dy >= height) continue;
        const to = (y + dy) * width + x + dx,
          w = part(radii[i], Math.hypot(dx, dy)) / area;
        weights[to] += w;
        for (let c = 0; c < 4; c++) sum[to * 4 + c] += w * rgba[i * 4 + c];
      }
  }
  return Float32Array.from(sum, (v, k) => v / weights[Math.floor(k / 4)]);
}
