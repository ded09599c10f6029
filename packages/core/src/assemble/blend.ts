/** How a picture is laid on what is below it. */
export const BLENDS = ['over', 'add', 'multiply', 'screen'] as const;
export type Blend = (typeof BLENDS)[number];

/**
 * Lays `above` on `below` in place, pixels [from, to); both premultiplied RGBA, scene-linear. `opacity` 0 to 1 scales what is above.
 *
 * With s, a the colour and alpha above and d what is below: over s + d (1 - a), add d + s, multiply d (1 - a + s), screen d + s (1 - d) with d
 * held at 1, so that a light beyond 1 below keeps its light (Porter and Duff 1984 for over; W3C Compositing 1, section 5, for the others).
 * Multiplying changes no coverage.
 */
export function blendPixels(
  below: Float32Array,
  above: Float32Array,
  blend: Blend,
  opacity: number,
  from = 0,
  to = below.length / 4,
): void {
  switch (blend) {
    case 'over':
      for (let i = from * 4; i < to * 4; i += 4) {
        const a = above[i + 3];
        // Most of most elements is empty.
        if (a === 0 && above[i] === 0 && above[i + 1] === 0 && above[i + 2] === 0) continue;
        const clear = 1 - opacity * a;
        below[i] = opacity * above[i] + clear * below[i];
        below[i + 1] = opacity * above[i + 1] + clear * below[i + 1];
        below[i + 2] = opacity * above[i + 2] + clear * below[i + 2];
        below[i + 3] = opacity * a + clear * below[i + 3];
      }
      return;
    case 'add':
      for (let i = from * 4; i < to * 4; i += 4) {
        below[i] += opacity * above[i];
        below[i + 1] += opacity * above[i + 1];
        below[i + 2] += opacity * above[i + 2];
        below[i + 3] += opacity * above[i + 3] * (1 - below[i + 3]);
      }
      return;
    case 'multiply':
      for (let i = from * 4; i < to * 4; i += 4) {
        const a = above[i + 3];
        below[i] *= 1 - opacity * (a - above[i]);
        below[i + 1] *= 1 - opacity * (a - above[i + 1]);
        below[i + 2] *= 1 - opacity * (a - above[i + 2]);
      }
      return;
    case 'screen':
      for (let i = from * 4; i < to * 4; i += 4) {
        for (let c = i; c < i + 3; c++) below[c] += opacity * above[c] * (1 - Math.min(1, Math.max(0, below[c])));
        below[i + 3] += opacity * above[i + 3] * (1 - below[i + 3]);
      }
  }
}
