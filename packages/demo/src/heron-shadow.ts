import { atScale, paintTexture, type Card, type Paint } from './card';
import { heronRootAt } from './heron';
import { step } from './noise';

/** TC_010: the heron's shadow on the water, black with how dense it is as its alpha. */

const DENSEST = 0.62;

/** A soft oval. */
function oval(u: number, v: number, along: number, across: number): Paint {
  const far = Math.hypot(u / along, v / across);
  return [0, 0, 0, DENSEST * step(1, 0.35, far)];
}

/** A long soft wing with its root at 0. */
function wing(u: number, v: number): Paint {
  const along = u / 150;
  if (along < -0.1 || along > 1) return [0, 0, 0, 0];
  const half = 17 * Math.sin(Math.PI * Math.min(1, 0.3 + 0.7 * along)) + 3;
  return [0, 0, 0, 0.8 * DENSEST * step(1, 0.3, Math.abs(v) / half) * step(-0.1, 0.1, along) * step(1, 0.75, along)];
}

const SHADOW_Y = 418;

/** `scale` is pixels a unit of artwork. */
export function makeHeronShadow(scale = 1): readonly Card[] {
  const place = (t: number) => {
    const { x, y } = heronRootAt(t);
    // The sun stands high behind the camera's left: what rises throws its shadow farther on.
    return { x: x + 46 - 0.25 * (y - 282), y: SHADOW_Y + 0.16 * (y - 282) };
  };
  const cards: readonly Card[] = [
    {
      name: 'body shadow',
      id: 11,
      depth: 40,
      texture: paintTexture(-112, -22, 112, 22, (u, v) => oval(u, v, 108, 19), scale),
      pose: (t) => ({ ...place(t), angle: 0, curvature: 0 }),
    },
    {
      name: 'wing shadow',
      id: 12,
      depth: 40.1,
      texture: paintTexture(-20, -24, 154, 24, wing, scale),
      pose: (t) => {
        const { x, y } = place(t);
        return { x: x + 10, y: y + 2, angle: -0.28 + 0.22 * Math.sin(0.41 * t), curvature: 0.003 * Math.cos(0.41 * t) };
      },
    },
  ];
  return atScale(cards, scale);
}
