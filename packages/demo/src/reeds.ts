import { atScale, paintTexture, type Card, type Paint } from './card';
import { hash, valueNoise } from './noise';

/** TC_010's foreground: clumps of reeds right before the plate's camera, which pans past them faster than past the marsh. */

const CLUMPS = [
  { x: 170, tall: 300, wide: 120, sway: 0.03, phase: 0.4 },
  { x: 405, tall: 250, wide: 90, sway: 0.026, phase: 2.1 },
  { x: 640, tall: 390, wide: 140, sway: 0.034, phase: 3.6 },
  { x: 960, tall: 310, wide: 130, sway: 0.03, phase: 5.2 },
] as const;
const PAN_PX = 5.6,
  ROOT_Y = 560;

/** Blades that lean and taper, some with a brown head. u across from the clump's middle, v up is negative. */
function paintClump(seed: number, tall: number, wide: number): (u: number, v: number) => Paint {
  const blades = Array.from({ length: 26 }, (_, n) => {
    const at = (hash(n, seed, 401) - 0.5) * wide;
    return {
      at,
      lean: (hash(n, seed, 402) - 0.5) * 0.34 + at / wide / 3,
      tall: tall * (0.45 + 0.55 * hash(n, seed, 403)),
      half: 1.6 + 2.2 * hash(n, seed, 404),
      light: 0.35 + 0.9 * hash(n, seed, 405),
      hasHead: hash(n, seed, 406) > 0.72,
    };
  });
  return (u, v) => {
    const up = -v;
    for (const { at, lean, tall: top, half, light, hasHead } of blades) {
      const share = up / top;
      if (share < 0 || share > 1) continue;
      const middle = at + lean * up + 0.0004 * lean * up * up,
        head = hasHead && share > 0.78 && share < 0.95;
      const width = head ? 4.4 : half * (1 - share * share);
      const from = Math.abs(u - middle);
      if (from > width) continue;
      const side = 1.15 - 0.5 * ((u - middle) / Math.max(0.5, width) + 1) * 0.5;
      const grain = 0.75 + 0.5 * valueNoise(u * 0.9, v * 0.05, seed + 410);
      const l = light * side * grain;
      return head ? [0.2 * l, 0.1 * l, 0.045 * l, 1] : [0.15 * l, 0.19 * l, 0.06 * l, 1];
    }
    return [0, 0, 0, 0];
  };
}

/** `scale` is pixels a unit of artwork. */
export function makeReeds(scale = 1): readonly Card[] {
  const cards = CLUMPS.map(({ x, tall, wide, sway, phase }, n): Card => ({
    name: `reeds ${n + 1}`,
    id: 20 + n,
    depth: 4,
    texture: paintTexture(-wide, -tall, wide, 4, paintClump(n + 1, tall, wide), scale),
    pose: (t) => ({ x: x - PAN_PX * t, y: ROOT_Y, angle: sway * Math.sin(0.31 * t + phase), curvature: 0 }),
  }));
  return atScale(cards, scale);
}
