import { paintTexture, shade, type Card, type Paint, type Pose } from '../card';
import { hash, step } from '../noise';
import { BRASS, GLASS, MARSH, OAK, SALT, STEEL, weathered } from '../artwork';

/** A picture problem of its own, against which the blur is measured. Lengths are for a picture 640 px wide. */
export interface FidelityScene {
  readonly name: string;
  readonly stresses: string;
  /** Paints the cards, nearest first. */
  readonly makeCards: () => readonly Card[];
  /** The moment that is blurred. */
  readonly frame: number;
}

export const FIDELITY_SIZE = { width: 640, height: 360 };

function inside(distance: number, soft = 0.6): number {
  return step(soft, -soft, distance);
}

type PoseAt = (t: number) => Pose;
const still =
  (x: number, y: number): PoseAt =>
  () => ({ x, y, angle: 0, curvature: 0 });
const moving =
  (x: number, y: number, dx: number, dy: number): PoseAt =>
  (t) => ({ x: x + dx * t, y: y + dy * t, angle: 0, curvature: 0 });

/** Builds every scene for a picture of this width: lengths and motion shrink with it, grain does not. */
export function fidelityScenes(width = FIDELITY_SIZE.width): readonly FidelityScene[] {
  const k = width / FIDELITY_SIZE.width,
    cx = 320 * k,
    cy = 180 * k;
  const card = (
    name: string,
    id: number,
    depth: number,
    w: number,
    h: number,
    paint: (u: number, v: number) => Paint,
    pose: PoseAt,
  ): Card => ({
    name,
    id,
    depth,
    texture: paintTexture(-w * k, -h * k, w * k, h * k, paint),
    pose,
  });
  const backdrop = (base: Paint, seed: number, depth: number, pose: PoseAt, id = 9) =>
    card('backdrop', id, depth, 520, 300, (u, v) => weathered(base, u, v, seed, 1), pose);

  return [
    {
      name: 'linear',
      stresses: 'a soft edge, 40 px a frame, over nothing',
      frame: 0,
      makeCards: () => [
        card(
          'weight',
          1,
          4,
          90,
          90,
          (u, v) => weathered(BRASS, v, u, 3, step(74 * k, 50 * k, Math.hypot(u, v))),
          moving(cx, cy, 37 * k, 15 * k),
        ),
      ],
    },
    {
      name: 'spinner',
      stresses: 'a five-bladed wheel, 25 degrees a frame, over nothing',
      frame: 0,
      makeCards: () => [
        card(
          'wheel',
          1,
          4,
          150,
          150,
          (u, v) => {
            const r = Math.hypot(u, v),
              turn = (Math.atan2(v, u) / (2 * Math.PI) + 1) % 1,
              blade = Math.abs(((turn * 5) % 1) - 0.5) * ((2 * Math.PI * r) / 5);
            return weathered(
              OAK,
              u * 0.8 + v * 0.6,
              v * 0.8 - u * 0.6,
              5,
              inside(Math.max(r - 142 * k, Math.min(blade - 24 * k, r - 30 * k))),
            );
          },
          (t) => ({ x: cx, y: cy, angle: (25 * Math.PI * t) / 180, curvature: 0 }),
        ),
      ],
    },
    {
      name: 'parallax',
      stresses: 'camera truck, four cards in one picture',
      frame: 0,
      makeCards: () => [
        ...[2, 4, 8].map((depth, i) =>
          card(
            `posts at ${depth}`,
            i + 1,
            depth,
            520,
            300,
            (u, v) => {
              const every = [260, 170, 110][i] * k,
                post = Math.abs((((u + i * 40 * k) / every + 20) % 1) - 0.5) * every - [34, 20, 11][i] * k;
              return weathered([OAK, STEEL, BRASS][i], v, u, 11 + i, inside(Math.max(post, [-300, -90, -40][i] * k - v)));
            },
            moving(cx, cy, (-128 / depth) * k, 0),
          ),
        ),
        backdrop(MARSH, 15, 16, moving(cx, cy, -8 * k, 0)),
      ],
    },
    {
      name: 'crossing',
      stresses: 'two opaque objects crossing over detail, one picture',
      frame: 0,
      makeCards: () => [
        card(
          'bob',
          1,
          3,
          70,
          70,
          (u, v) => weathered(BRASS, v, u, 21, inside(Math.hypot(u, v) - 60 * k)),
          moving(cx - 40 * k, cy - 8 * k, 58 * k, 10 * k),
        ),
        card(
          'lid',
          2,
          5,
          80,
          60,
          (u, v) => weathered(STEEL, v, u, 22, inside(Math.max(Math.abs(u) - 72 * k, Math.abs(v) - 48 * k))),
          moving(cx + 45 * k, cy + 14 * k, -44 * k, -18 * k),
        ),
        backdrop(SALT, 23, 12, still(cx, cy)),
      ],
    },
    {
      name: 'over-still',
      stresses: 'one fast opaque object over a still background, one picture',
      frame: 0,
      makeCards: () => [
        card('bob', 1, 3, 80, 80, (u, v) => weathered(BRASS, v, u, 31, inside(Math.hypot(u, v) - 70 * k)), moving(cx, cy, 72 * k, -20 * k)),
        backdrop(SALT, 33, 12, still(cx, cy)),
      ],
    },
    {
      name: 'sparks',
      stresses: '400 soft sprites under one id, their motion with hard edges',
      frame: 0,
      makeCards: () => sparks(k, cx, cy),
    },
    {
      name: 'dolly',
      stresses: 'strong radial motion on a plane',
      frame: 0,
      makeCards: () => [
        card(
          'floor',
          1,
          8,
          620,
          400,
          (u, v) => weathered(OAK, u, v, 41, 1),
          (t) => ({
            x: cx + 20 * k,
            y: cy + 10 * k,
            angle: 0,
            curvature: 0,
            scale: 1 / (1 - 0.16 * t),
          }),
        ),
      ],
    },
    {
      name: 'glass',
      stresses: 'a half-transparent turning pane over a moving object: two surfaces, one vector',
      frame: 0,
      makeCards: () => [
        card(
          'pane',
          1,
          3,
          130,
          70,
          (u, v) => weathered(GLASS, u, v, 51, 0.5 * inside(Math.max(Math.abs(u) - 120 * k, Math.abs(v) - 60 * k))),
          (t) => ({ x: cx, y: cy, angle: 0.3 + 0.26 * t, curvature: 0 }),
        ),
        card(
          'float',
          2,
          6,
          90,
          90,
          (u, v) => weathered(BRASS, v, u, 52, inside(Math.hypot(u, v) - 80 * k)),
          moving(cx - 20 * k, cy + 6 * k, 48 * k, 12 * k),
        ),
      ],
    },
    {
      name: 'ease',
      stresses: 'strong acceleration on a curve',
      frame: 0,
      makeCards: () => [
        card(
          'hand',
          1,
          3,
          80,
          40,
          (u, v) => weathered(BRASS, v, u, 61, inside(Math.max(Math.abs(u) - 70 * k, Math.abs(v) - 30 * k))),
          (t) => {
            // Starts from rest and swings through: the speed doubles within the frame.
            const swing = -0.9 * Math.cos(0.62 * (t + 1.6));
            return { x: cx + 120 * k * Math.sin(swing), y: cy - 60 * k + 120 * k * Math.cos(swing), angle: -swing * 1.3, curvature: 0 };
          },
        ),
      ],
    },
  ];
}

/** Salt crystals thrown up by the wheel: all of one particle system, so under one id. */
function sparks(k: number, cx: number, cy: number): Card[] {
  // A small picture shows a smaller piece of the same cloud: crystals and speeds stay what they are.
  const count = Math.round(400 * k ** 2);
  return Array.from({ length: count }, (_, i) => {
    const random = (n: number) => hash(i, n, 77);
    const radius = 2.2 + 4 * random(0),
      angle = 2 * Math.PI * random(1),
      speed = 6 + 34 * random(2),
      far = 260 * k * Math.sqrt(random(3)),
      fall = 1.6;
    return {
      name: `salt ${i}`,
      id: 1,
      depth: 3 + 6 * random(4),
      texture: paintTexture(-radius - 1, -radius - 1, radius + 1, radius + 1, (u, v) =>
        shade(SALT, 0.6 + 0.8 * random(5), (0.5 + 0.5 * random(6)) * step(radius, radius * 0.3, Math.hypot(u, v))),
      ),
      pose: (t: number) => ({
        x: cx + far * Math.cos(2 * Math.PI * random(7)) + speed * Math.cos(angle) * t,
        y: cy + 0.6 * far * Math.sin(2 * Math.PI * random(7)) + speed * Math.sin(angle) * t + (fall * t * t) / 2,
        angle: 0,
        curvature: 0,
      }),
    };
  }).sort((a, b) => a.depth - b.depth);
}
