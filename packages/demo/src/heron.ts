import { atScale, paintTexture, shade, type Card, type Paint, type Pose } from './card';
import { fractalNoise, step, valueNoise } from './noise';

/** TC_010: the mechanical heron. Lengths in units of artwork (pixels at 960 x 540), time in frames from the shot's first frame. */

const BRASS: Paint = [0.72, 0.42, 0.12, 1],
  STEEL: Paint = [0.24, 0.3, 0.34, 1],
  IVORY: Paint = [0.85, 0.78, 0.62, 1],
  COPPER: Paint = [0.62, 0.22, 0.1, 1];

function mix(a: Paint, b: Paint, t: number): Paint {
  return [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t, a[2] + (b[2] - a[2]) * t, 1];
}

/** 1 inside, 0 outside, an edge of about a pixel. */
function inside(distance: number, soft = 0.5): number {
  return step(soft, -soft, distance);
}

function brushed(u: number, v: number, seed: number): number {
  return 0.75 + 0.35 * valueNoise(u * 0.5, v * 2.2, seed) + 0.25 * (fractalNoise(u * 0.12, v * 0.12, seed + 9, 3) - 0.5);
}

function paintBody(u: number, v: number): Paint {
  const tail = u < -30 ? (u + 92) / 62 : 1;
  const half = u < -30 ? 7 + 20 * Math.max(0, tail) ** 1.3 : 27 * Math.sqrt(Math.max(0, 1 - ((u + 30) / 100) ** 2));
  const alpha = inside(Math.abs(v) - half) * inside(-92 - u) * inside(u - 69);
  if (alpha === 0) return [0, 0, 0, 0];
  const plate = Math.floor((u + 100) / 17),
    inPlate = (u + 100) / 17 - plate;
  const seam = step(0.1, 0.03, inPlate);
  const rivet = Math.hypot((inPlate - 0.5) * 17, ((v + 60) % 11) - 5.5) < 1.5 ? 1.7 : 1;
  const round = 1.15 - 0.75 * ((v + 8) / 30) ** 2;
  const window = Math.hypot(u - 12, v - 3) < 11 ? 1 : 0;
  // A round window with the clockwork behind it.
  if (window)
    return Math.sin(Math.atan2(v - 3, u - 12) * 9) > 0.1 && Math.hypot(u - 12, v - 3) > 3
      ? [1.6, 0.9, 0.25, alpha]
      : [0.05, 0.03, 0.02, alpha];
  return shade(mix(BRASS, STEEL, plate % 3 === 0 ? 0.8 : 0), round * brushed(u, v, 3) * rivet * (1 - 0.8 * seam), alpha);
}

function paintNeck(u: number, v: number): Paint {
  const neck = u < 98 ? Math.abs(v) - (8 - 3.6 * (u / 98)) : 1;
  const head = Math.hypot((u - 106) / 1.7, v) - 8;
  const beak = u > 112 ? Math.abs(v - 1) - 4.5 * Math.max(0, 1 - (u - 112) / 46) : 1;
  const distance = Math.min(u < 0 ? 1 : neck, head, beak);
  const alpha = inside(distance);
  if (alpha === 0) return [0, 0, 0, 0];
  if (Math.hypot(u - 110, v + 2.5) < 2.4) return [2.6, 1.9, 0.5, alpha];
  if (beak < 0 && u > 118) return shade(COPPER, 0.9 + 0.5 * valueNoise(u * 0.3, v, 5), alpha);
  const ring = Math.abs(((u + 1) % 6) - 3) / 3;
  return shade(mix(IVORY, STEEL, ring > 0.72 ? 0.9 : 0.1), (1.1 - 0.05 * Math.abs(v)) * brushed(u, v, 21), alpha);
}

function paintLegs(u: number, v: number): Paint {
  const joint = Math.min(Math.hypot(u - 52, v + 5) - 4.5, Math.hypot(u - 52, v - 6) - 4.5);
  const shafts = u > 0 && u < 112 ? Math.min(Math.abs(v + 5 - u * 0.015), Math.abs(v - 6 + u * 0.02)) - 2.1 : 1;
  const toes = u > 104 && u < 128 ? Math.min(...[-5, 0.5, 6].map((o) => Math.abs(v - o * (1 + (u - 104) / 24)) - 1.3)) : 1;
  const alpha = inside(Math.min(joint, shafts, toes));
  return shade(COPPER, (0.8 + 0.6 * valueNoise(u * 0.6, v, 8)) * (joint < 0 ? 1.5 : 1), alpha);
}

/** Feathers of thin metal; the outer ends are gauze with a soft, half-clear edge. */
function paintWing(u: number, v: number, tint: Paint): Paint {
  const along = u / 172;
  if (along < 0 || along > 1.02) return [0, 0, 0, 0];
  const chord = 17 + 46 * Math.sin(Math.PI * Math.min(1, 0.22 + along * 0.74));
  const feather = u / 13.5 + v * 0.012,
    index = Math.floor(feather),
    inFeather = feather - index;
  const trailing = chord - 9 * Math.abs(inFeather - 0.5) ** 2 * 4;
  const leading = -9 * (1 - along) - 3;
  const soft = 0.5 + 5 * step(0.6, 1, along);
  const alpha = inside(v - trailing, soft) * inside(leading - v, 0.6) * inside(-u, 0.6) * inside(u - 168, 0.6 + 4 * along);
  if (alpha === 0) return [0, 0, 0, 0];
  const gauze = 1 - 0.45 * step(0.55, 1, v / chord) * step(0.2, 0.6, along);
  const quill = Math.exp(-(((inFeather - 0.5) * 13.5) ** 2) / 1.1);
  const spar = v < leading + 8 ? 1 : 0;
  const barbs = 0.75 + 0.5 * (0.5 + 0.5 * Math.sin(v * 1.9 + inFeather * 7));
  const base = spar ? STEEL : mix(tint, IVORY, index % 2 ? 0.12 : 0.4);
  const edge = step(0.07, 0.0, Math.min(inFeather, 1 - inFeather));
  return shade(
    base,
    (spar ? brushed(u, v, 30) * 1.2 : barbs * (0.55 + 0.6 * valueNoise(u * 0.2, v * 0.2, 31 + index))) *
      (1 + 1.1 * quill) *
      (1 - 0.7 * edge),
    alpha * (spar ? 1 : gauze),
  );
}

/** The wind-up key on the back. */
function paintKey(u: number, v: number): Paint {
  const shaft = Math.abs(u) < 3.4 && v > -1 && v < 26 ? -1 : 1;
  const bow = Math.min(...[-11, 11].map((c) => Math.abs(Math.hypot(u - c, (v + 8) * 0.9) - 9.5) - 3.6));
  const alpha = inside(Math.min(shaft, bow));
  return shade(BRASS, 1.3 * brushed(u * 2, v * 2, 44) * (1 + 0.7 * step(0, -3.6, bow)), alpha);
}

/** Where the heron's middle is. It eases: never quite uniform. */
export function heronRootAt(t: number): { x: number; y: number; angle: number } {
  return {
    x: 42 + 37.5 * t + 9 * Math.sin(t * 0.55),
    y: 282 - 3.1 * t + 17 * Math.sin(t * 0.42 + 0.6),
    angle: -0.08 + 0.07 * Math.sin(t * 0.42),
  };
}

function attached(t: number, u: number, v: number, angle: number, curvature: number): Pose {
  const root = heronRootAt(t),
    c = Math.cos(root.angle),
    s = Math.sin(root.angle);
  return { x: root.x + c * u - s * v, y: root.y + s * u + c * v, angle: root.angle + angle, curvature };
}

const FLAP = 0.41;

/** Nearest first. `scale` is pixels a unit of artwork. */
export function makeHeron(scale = 1): readonly Card[] {
  const nearWing = paintTexture(-4, -16, 182, 68, (u, v) => paintWing(u, v, BRASS), scale);
  const farWing = paintTexture(-4, -16, 182, 68, (u, v) => paintWing(u, v, STEEL), scale);
  const cards: readonly Card[] = [
    {
      name: 'near wing',
      id: 1,
      depth: 9.2,
      texture: nearWing,
      pose: (t) => attached(t, 26, -12, -1.95 + 0.78 * Math.sin(t * FLAP), 0.0062 * Math.cos(t * FLAP + 0.35)),
    },
    {
      name: 'key',
      id: 2,
      depth: 9.7,
      texture: paintTexture(-28, -26, 28, 28, paintKey, scale),
      pose: (t) => attached(t, -34, -26, -0.35 + t * 0.33, 0),
    },
    { name: 'body', id: 3, depth: 10, texture: paintTexture(-96, -32, 73, 32, paintBody, scale), pose: (t) => attached(t, 0, 0, 0, 0) },
    {
      name: 'neck',
      id: 4,
      depth: 10.4,
      texture: paintTexture(-3, -14, 162, 14, paintNeck, scale),
      pose: (t) => attached(t, 56, -6, -0.72 + 0.1 * Math.sin(t * 0.5), 0.0085 + 0.0022 * Math.sin(t * 0.5 + 1)),
    },
    {
      name: 'legs',
      id: 5,
      depth: 10.9,
      texture: paintTexture(-2, -14, 131, 14, paintLegs, scale),
      pose: (t) => attached(t, -52, 12, Math.PI - 0.16 + 0.12 * Math.sin(t * 0.62), 0.0016 * Math.sin(t * 0.62 - 0.7)),
    },
    {
      name: 'far wing',
      id: 6,
      depth: 11.6,
      texture: farWing,
      pose: (t) => attached(t, 34, -14, -1.8 + 0.72 * Math.sin(t * FLAP - 0.12), 0.006 * Math.cos(t * FLAP + 0.2)),
    },
  ];
  return atScale(cards, scale);
}
