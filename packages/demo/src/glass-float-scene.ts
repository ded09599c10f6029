import { paintTexture, type Paint, type Texture } from './card';
import { fractalNoise, step, valueNoise } from './noise';

/** What stands on the salt marsh before TC_040's camera: posts, rail, the float in its net, mud, the mill far off. Lengths in metres. */

/** Focal length in pixels of a picture that is 960 wide: no texture needs to be finer than it shows. */
export const FOCAL_PX = 900;

/** An upright flat piece of scenery; its texture's u and v are `perMetre` a metre, v down from `top`. */
interface Board {
  readonly z: number;
  readonly left: number;
  readonly top: number;
  readonly perMetre: number;
  readonly texture: Texture;
}

export interface Scene {
  readonly boards: readonly Board[];
  readonly ground: Texture;
  readonly glass: Texture;
}

export const FLOAT = { x: 0.28, y: 1.33, z: -3.6, radius: 0.34 } as const;
/** The ground's texture: a piece of this many units a side that repeats, and units a metre. */
export const GROUND = { side: 240, perMetre: 60, finer: 8 / 3 } as const;
/** Units around and from pole to pole. */
export const GLASS = { around: 240, down: 120, finer: 8 / 3 } as const;

/** Artwork is drawn in units of its own, `finer` times as many as its texture has: no finer than the picture shows it. */
function painted(width: number, height: number, finer: number, scale: number, paint: (u: number, v: number) => Paint): Texture {
  return paintTexture(0, 0, width, height, (u, v) => paint(u * finer, v * finer), scale);
}

function wood(u: number, v: number, seed: number): number {
  return 0.35 + 0.9 * valueNoise(u * 0.9, v * 0.05, seed) * (0.6 + 0.6 * fractalNoise(u * 0.2, v * 0.15, seed + 1, 3));
}

function paintPost(width: number, seed: number): (u: number, v: number) => Paint {
  return (u, v) => {
    const ragged = 3 + 5 * valueNoise(v * 0.06, seed, seed);
    const edge = Math.min(u - ragged * 0.4, width - ragged * 0.5 - u);
    const ring = v % 90 < 14 ? 0.5 : 1;
    const barnacles = valueNoise(u * 0.35, v * 0.35, seed + 3) > 0.62 && v > 120 ? 1.9 : 1;
    const round = 1.1 - 0.7 * ((u - width / 2) / (width / 2)) ** 2;
    const light = wood(u, v, seed) * ring * barnacles * round;
    return [0.34 * light, 0.27 * light, 0.2 * light, step(-0.4, 0.6, edge)];
  };
}

function paintRail(u: number, v: number): Paint {
  const light = wood(v * 2.2, u * 0.6, 150) * (Math.abs((u % 160) - 80) < 3 ? 0.25 : 1);
  const rope = Math.abs(v - 14 - 5 * Math.sin(u * 0.05)) < 4 ? 0.4 + 0.9 * Math.abs(Math.sin(u * 0.5 + v * 0.9)) : 0;
  const edge = Math.min(v - 2, 44 - v);
  if (rope > 0) return [0.55 * rope, 0.45 * rope, 0.28 * rope, 1];
  return [0.4 * light, 0.31 * light, 0.22 * light, step(-0.5, 0.5, edge)];
}

function paintRope(u: number, v: number): Paint {
  const twist = 0.35 + 0.8 * Math.abs(Math.sin(v * 0.45 + u * 0.3));
  return [0.5 * twist, 0.41 * twist, 0.26 * twist, step(-0.5, 0.5, Math.min(u - 1, 13 - u))];
}

/** Far reeds, the mill with its clock, sky above. */
function paintDistance(u: number, v: number): Paint {
  const horizon = 330 + 14 * valueNoise(u * 0.012, 0, 160);
  if (u > 480 && u < 690 && v > 190 && v < horizon + 4) {
    const roof = v < 245;
    const inside = roof ? Math.abs(u - 585) < (v - 190) * 1.9 : true;
    const r = Math.hypot(u - 585, v - 275);
    if (inside && r < 22)
      return r > 18 ? [0.5, 0.34, 0.1, 1] : Math.abs(u - 585) < 1.6 && v < 275 ? [0.05, 0.04, 0.04, 1] : [0.8, 0.74, 0.6, 1];
    if (inside) {
      const grain = (0.5 + 0.6 * valueNoise(u * 0.1, v * 0.8, 161)) * (Math.floor(v) % 9 < 1 ? 0.4 : 1);
      return roof ? [0.28 * grain, 0.13 * grain, 0.1 * grain, 1] : [0.34 * grain, 0.28 * grain, 0.22 * grain, 1];
    }
  }
  if (v > horizon - 26 * valueNoise(u * 0.13, 2, 162)) {
    const blade = 0.35 + 0.9 * valueNoise(u * 0.5, v * 0.08, 163) * fractalNoise(u * 0.03, v * 0.05, 164, 3);
    return [0.19 * blade, 0.22 * blade, 0.09 * blade, 1];
  }
  const cloud = fractalNoise(u * 0.014, v * 0.035, 165, 5),
    up = 1 - v / 330;
  const c = 0.65 * step(0.42, 0.74, cloud);
  return [0.34 + 0.2 * c - 0.1 * up, 0.38 + 0.17 * c - 0.06 * up, 0.42 + 0.14 * c, 1];
}

/** Mud, puddles and shells. Repeats. */
function paintGround(u: number, v: number): Paint {
  const side = GROUND.side * GROUND.finer,
    across = u / side,
    down = v / side;
  // Two noises a period apart, faded into each other, so that the borders meet.
  const tiled = (scale: number, seed: number, octaves: number) => {
    const at = (x: number, y: number) => fractalNoise(x * scale, y * scale, seed, octaves);
    const wrap = (y: number) => at(u, y) * (1 - across) + at(u - side, y) * across;
    return wrap(v) * (1 - down) + wrap(v - side) * down;
  };
  const mud = 0.25 + 1.1 * tiled(0.09, 170, 4),
    wet = step(0.5, 0.56, tiled(0.02, 171, 3));
  const grit = valueNoise(u * 0.8, v * 0.8, 172) > 0.78 ? 1.6 : 1;
  return [
    (0.24 * mud * (1 - wet) + 0.3 * wet * mud) * grit,
    (0.19 * mud * (1 - wet) + 0.34 * wet * mud) * grit,
    (0.13 * mud * (1 - wet) + 0.38 * wet * mud) * grit,
    1,
  ];
}

/** Green glass with bubbles in a net of tarred string. */
function paintGlass(u: number, v: number): Paint {
  const a = (u / GLASS.around / GLASS.finer) * 20,
    b = (v / GLASS.down / GLASS.finer) * 10;
  const mesh = Math.min(Math.abs(((a + b) % 1) - 0.5), Math.abs(((a - b + 20) % 1) - 0.5));
  const knot = Math.abs(((a + b) % 1) - 0.5) < 0.14 && Math.abs(((a - b + 20) % 1) - 0.5) < 0.14;
  if (mesh < 0.07 || knot) {
    const twist = 0.3 + 0.7 * Math.abs(Math.sin(u * 0.9 + v * 0.5));
    return [0.12 * twist, 0.09 * twist, 0.06 * twist, 1];
  }
  const bubble = valueNoise(u * 0.3, v * 0.3, 180) > 0.8 ? 1.7 : 1;
  const swirl = (0.5 + 0.9 * fractalNoise(u * 0.03, v * 0.05, 181, 4)) * bubble;
  return [0.1 * swirl, 0.42 * swirl, 0.3 * swirl, 1];
}

/** The mill's lantern chains: an upright plane behind the camera, along which they run at this many metres a frame. Nothing but the float shows it. */
export const LANTERNS = { z: 1.2, perFrame: 1.45 } as const;

/** One lantern in every field of so many metres. */
const APART = { x: 2.4, y: 1.7 } as const;

/** Adds the light at a place of the lanterns' plane at a time, so many times as bright, to `out[at]` and the two after it. */
export function lanternLight(x: number, y: number, t: number, factor: number, out: Float32Array, at: number): void {
  const along = x - LANTERNS.perFrame * t;
  // The canvas that they hang before, lit by them.
  let glow = 0.7 * step(-3.5, -1, y) * step(9, 6, y) * fractalNoise(along * 0.5, y * 0.8, 210, 4),
    lamp = 0;
  const column = Math.floor(along / APART.x),
    row = Math.floor(y / APART.y);
  for (let k = column - 1; k <= column + 1; k++) {
    for (let n = Math.max(-2, row - 1); n <= Math.min(4, row + 1); n++) {
      const any = (seed: number) => valueNoise(k * 7.3, n * 5.7, seed) - 0.5;
      const size = 0.36 + 0.3 * any(211),
        dx = along - (k + 0.5 + 0.9 * any(212)) * APART.x,
        r = Math.hypot(dx, y - (n + 0.5 + 0.9 * any(213)) * APART.y);
      lamp += 14 * (Math.abs(dx) < 0.06 ? 0.3 : 1) * step(size, size * 0.75, r);
      glow += 0.7 / (1 + (r / 0.4) ** 2);
    }
  }
  out[at] += factor * (lamp + 0.9 * glow);
  out[at + 1] += factor * (0.62 * lamp + 0.55 * glow);
  out[at + 2] += factor * (0.25 * lamp + 0.3 * glow);
}

/** `scale` is pixels a unit of artwork. */
export function makeScene(scale = 1): Scene {
  const post = (x: number, z: number, width: number, seed: number): Board => {
    const finer = 2.5,
      perMetre = FOCAL_PX / -z / finer;
    const paint = paintPost(width * perMetre * finer, seed);
    return { z, left: x, top: 2.1, perMetre, texture: painted(width * perMetre, 2.1 * perMetre, finer, scale, paint) };
  };
  const boards: Board[] = [
    { z: -2.15, left: -2.6, top: 0.82, perMetre: 160, texture: painted(6 * 160, 18.4, 2.5, scale, paintRail) },
    { z: -3.59, left: -0.5, top: 2.02, perMetre: 100, texture: painted(190, 18.4, 2.5, scale, paintRail) },
    { z: -3.59, left: 0.262, top: 1.9, perMetre: 100, texture: painted(3.6, 24, 4, scale, paintRope) },
    post(-0.9, -2.9, 0.17, 191),
    post(1.05, -3.6, 0.2, 192),
    post(-0.3, -4.4, 0.22, 193),
    post(1.9, -5.5, 0.26, 194),
    post(-2.1, -7, 0.3, 195),
    { z: -36, left: -26, top: 15, perMetre: 10, texture: painted(52 * 10, 17 * 10, 2.2, scale, paintDistance) },
  ];
  return {
    boards,
    ground: painted(GROUND.side, GROUND.side, GROUND.finer, scale, paintGround),
    glass: painted(GLASS.around, GLASS.down, GLASS.finer, scale, paintGlass),
  };
}
