import path from 'node:path';
import { encodeExr, windowOfSize, type Attribute, type Plane } from '@ivrex/core';
import { writeFileAtomic, type NodeHost } from '@ivrex/media';
import { fractalNoise, hash, step } from './noise';
import type { DemoSize } from './render-cards';

/**
 * TC_030: a wave breaks on the tide mill's wheel and throws salt spray: drops and flecks of foam, each on its own arc. Lengths in units of artwork (pixels at 960 x 540),
 * time in frames from the shot's first. Its velocity pass holds direction and length, per second, as particle tools write them.
 */
export const SALT_SPRAY = { frames: 16, fps: 24, drops: 1700, flecks: 190 } as const;

interface Particle {
  readonly born: number;
  readonly x: number;
  readonly y: number;
  readonly vx: number;
  readonly vy: number;
  readonly radius: number;
  readonly turn: number;
  readonly depth: number;
  readonly seed: number;
}

/** Units a frame, every frame: what pulls everything down. */
const GRAVITY = 0.62,
  LIFE = 46;

let particles: readonly Particle[] | null = null;

/** Farthest first. */
function makeParticles(): readonly Particle[] {
  const of = (count: number, kind: number, make: (random: (n: number) => number, k: number) => Particle) =>
    Array.from({ length: count }, (_, k) => make((n) => hash(k, n, 300 + kind), k));
  const thrown = (random: (n: number) => number, spread: number) => {
    const angle = -Math.PI / 2 + (random(1) - 0.42) * spread,
      speed = 11 + 15 * random(2);
    return { vx: Math.cos(angle) * speed + 3.5, vy: Math.sin(angle) * speed, x: 330 + 260 * random(3), y: 520 + 30 * random(4) };
  };
  const drops = of(SALT_SPRAY.drops, 1, (random, k) => ({
    ...thrown(random, 1.5),
    born: -LIFE + random(5) * (LIFE + SALT_SPRAY.frames),
    radius: 1.1 + 2.6 * random(6) ** 2,
    turn: 0,
    depth: 6 + 5 * random(7),
    seed: k,
  }));
  const flecks = of(SALT_SPRAY.flecks, 2, (random, k) => ({
    ...thrown(random, 1),
    born: -LIFE + random(5) * (LIFE + SALT_SPRAY.frames),
    radius: 6.5 + 11 * random(6) ** 1.5,
    turn: (random(8) - 0.5) * 0.16,
    depth: 6 + 5 * random(7),
    seed: 5000 + k,
  }));
  return [...drops, ...flecks].sort((a, b) => b.depth - a.depth);
}

function placeOf(p: Particle, t: number): { x: number; y: number; angle: number } {
  const age = t - p.born;
  return { x: p.x + p.vx * age, y: p.y + p.vy * age + 0.5 * GRAVITY * age * age, angle: p.turn * age };
}

/** How much a particle covers at a place of its own, and how bright it is there. */
function paintAt(p: Particle, u: number, v: number): { cover: number; light: number } {
  const r = Math.hypot(u, v);
  if (p.radius < 6) return { cover: 0.85 * step(0.6, -0.6, r - p.radius), light: 1.1 - 0.35 * (r / p.radius) };
  const ragged =
    p.radius * (0.7 + 0.45 * (fractalNoise(3 + Math.cos(Math.atan2(v, u)) * 2, Math.sin(Math.atan2(v, u)) * 2, p.seed, 3) - 0.3));
  const foam = fractalNoise(u * 0.32 + 50, v * 0.32 + 50, p.seed, 3);
  // Thin towards the rim, with holes that let through what is behind.
  const thin = 0.55 + 0.45 * step(0, 0.5 * p.radius, ragged - r);
  return { cover: step(1.4, -1.4, r - ragged) * thin * (0.7 + 0.3 * step(0.3, 0.5, foam)), light: 0.18 + 1.35 * foam };
}

export interface SaltSprayPasses {
  readonly rgba: Float32Array;
  /** toNext.x, toNext.y, toPrevious.x, toPrevious.y of the nearest particle. */
  readonly motion: Float32Array;
}

export function renderSaltSpray(t: number, { width, height, scale }: DemoSize): SaltSprayPasses {
  particles ??= makeParticles();
  const rgba = new Float32Array(width * height * 4),
    motion = new Float32Array(width * height * 4);
  for (const p of particles) {
    // Born before and gone after the neighbouring frames too: nothing comes out of nowhere.
    if (t - 1.5 < p.born || t + 1.5 > p.born + LIFE) continue;
    const at = placeOf(p, t),
      reach = p.radius * 1.3 + 2;
    const c = Math.cos(at.angle),
      s = Math.sin(at.angle);
    const then = [placeOf(p, t + 1), placeOf(p, t - 1)].map((q) => ({ ...q, c: Math.cos(q.angle), s: Math.sin(q.angle) }));
    for (let y = Math.max(0, Math.floor((at.y - reach) * scale)); y < Math.min(height, (at.y + reach) * scale); y++) {
      for (let x = Math.max(0, Math.floor((at.x - reach) * scale)); x < Math.min(width, (at.x + reach) * scale); x++) {
        const i = (y * width + x) * 4;
        let cover = 0,
          light = 0;
        for (const [ox, oy] of SUB) {
          const dx = (x + ox) / scale - at.x,
            dy = (y + oy) / scale - at.y;
          const painted = paintAt(p, c * dx + s * dy, c * dy - s * dx);
          cover += painted.cover / SUB.length;
          light += (painted.cover * painted.light) / SUB.length;
        }
        if (cover === 0) continue;
        const clear = 1 - cover;
        for (const [k, tint] of TINT.entries()) rgba[i + k] = rgba[i + k] * clear + light * tint;
        rgba[i + 3] = rgba[i + 3] * clear + cover;
        if (cover < 0.02) continue;
        const dx = (x + 0.5) / scale - at.x,
          dy = (y + 0.5) / scale - at.y,
          u = c * dx + s * dy,
          v = c * dy - s * dx;
        then.forEach((q, k) => {
          motion[i + 2 * k] = (q.x + q.c * u - q.s * v) * scale - x - 0.5;
          motion[i + 2 * k + 1] = (q.y + q.s * u + q.c * v) * scale - y - 0.5;
        });
      }
    }
  }
  return { rgba, motion };
}

const SUB = [
    [0.25, 0.25],
    [0.75, 0.25],
    [0.25, 0.75],
    [0.75, 0.75],
  ] as const,
  TINT = [0.8, 0.92, 1] as const;

export type SaltSprayKind = 'spray' | 'velocity';

export function saltSprayFile(kind: SaltSprayKind, frame: number): string {
  return path.join('TC_030', kind, `TC_030_${kind}.${frame}.exr`);
}

export async function makeSaltSprayFile(kind: SaltSprayKind, t: number, size: DemoSize, file: string, host: NodeHost): Promise<void> {
  const { rgba, motion } = renderSaltSpray(t, size),
    count = size.width * size.height;
  const plane = (name: string, of: (i: number) => number): Plane => ({
    name,
    type: 'half',
    data: Float32Array.from({ length: count }, (_, i) => of(i)),
  });
  const speed = (i: number) => Math.hypot(motion[i * 4], motion[i * 4 + 1]);
  // Unit direction with y up in red and green, pixels a second in blue.
  const planes =
    kind === 'spray'
      ? ['R', 'G', 'B', 'A'].map((name, c) => plane(name, (i) => rgba[i * 4 + c]))
      : [
          plane('R', (i) => (speed(i) === 0 ? 0 : motion[i * 4] / speed(i))),
          plane('G', (i) => (speed(i) === 0 ? 0 : -motion[i * 4 + 1] / speed(i))),
          plane('B', (i) => speed(i) * SALT_SPRAY.fps),
        ];
  const attributes = new Map<string, Attribute>([
    ['framesPerSecond', { type: 'rational', value: [SALT_SPRAY.fps, 1] }],
    ['owner', { type: 'string', value: 'The Tidal Clock' }],
    ['comments', { type: 'string', value: `TC_030 salt spray, ${kind === 'spray' ? 'beauty' : 'particle velocity'}` }],
  ]);
  const window = windowOfSize(size.width, size.height);
  await writeFileAtomic(file, encodeExr({ displayWindow: window, dataWindow: window, planes }, { compression: 'zip', attributes }, host));
}
