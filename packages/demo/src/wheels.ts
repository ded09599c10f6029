import { atScale, paintTexture, shade, type Card, type Paint } from './card';
import { fractalNoise, step, valueNoise } from './noise';

/** TC_020: the escapement wheel room. Lengths in pixels at 960 x 540, time in frames from the shot's first frame. */

const BRASS: Paint = [0.78, 0.47, 0.14, 1],
  STEEL: Paint = [0.3, 0.34, 0.38, 1],
  OAK: Paint = [0.34, 0.2, 0.1, 1],
  IRON: Paint = [0.16, 0.17, 0.19, 1];

/** 1 inside, 0 outside, an edge of about a pixel. */
function inside(distance: number): number {
  return step(0.6, -0.6, distance);
}

interface Gear {
  readonly radius: number;
  readonly teeth: number;
  readonly depth: number;
  readonly spokes: number;
  readonly base: Paint;
  readonly seed: number;
  /** Teeth lean forward, as those of an escape wheel do. */
  readonly lean: number;
}

function paintGear(gear: Gear, u: number, v: number): Paint {
  const r = Math.hypot(u, v),
    turn = (Math.atan2(v, u) / (2 * Math.PI) + 1) % 1;
  const tooth = (turn * gear.teeth + gear.lean * (r / gear.radius)) % 1;
  const profile = gear.lean > 0 ? 1 - tooth : 0.5 + 0.5 * Math.cos(tooth * 2 * Math.PI);
  const edge = gear.radius - gear.depth * (1 - step(0.15, 0.85, profile));
  const rim = gear.radius - gear.depth - gear.radius * 0.14;
  const spoke = Math.abs(((turn * gear.spokes) % 1) - 0.5) * ((2 * Math.PI * r) / gear.spokes);
  const arm = spoke - (gear.radius * 0.055 + 3 * (1 - r / gear.radius));
  const hub = r - gear.radius * 0.2;
  const body = Math.min(Math.max(r - edge, rim - r), Math.max(arm, r - rim - 2), hub);
  const hole = 5.5 - r;
  const alpha = inside(body) * inside(hole);
  if (alpha === 0) return [0, 0, 0, 0];
  // Turned metal: fine rings, a bright sweep that stands still on the wheel, a dark line at each edge.
  const rings =
    0.8 + 0.25 * Math.sin(r * 2.4 + 3 * valueNoise(turn * 30, 0, gear.seed)) + 0.3 * (fractalNoise(u * 0.09, v * 0.09, gear.seed, 3) - 0.5);
  const sweep = 0.75 + 0.5 * Math.cos(turn * 4 * Math.PI + 0.9) ** 2;
  const line = 1 - 0.55 * step(3.2, 0.4, Math.abs(body));
  const mark = Math.hypot(u - gear.radius * 0.86, v) < 4 ? 2.2 : 1;
  return shade(gear.base, rings * sweep * line * mark, alpha);
}

/** Rod and bob, hanging from its pivot along v. */
function paintPendulum(u: number, v: number): Paint {
  const rod = Math.max(Math.abs(u) - 3.4, -v, v - 292);
  const bob = Math.hypot(u, v - 300) - 44;
  const alpha = inside(Math.min(rod, bob));
  if (alpha === 0) return [0, 0, 0, 0];
  if (bob < 0.6) {
    const r = Math.hypot(u, v - 300),
      star = Math.abs((((Math.atan2(v - 300, u) / Math.PI) * 4 + 8) % 1) - 0.5) > 0.5 - 4 / Math.max(8, r) && r < 34;
    return shade(
      star ? IRON : BRASS,
      (0.7 + 0.6 * step(44, 0, Math.hypot(u + 12, v - 288))) * (0.85 + 0.3 * valueNoise(u * 0.4, v * 0.4, 91)),
      alpha,
    );
  }
  return shade(STEEL, 0.7 + 0.9 * step(3.4, 0, Math.abs(u + 1)) + 0.15 * Math.sin(v * 0.7), alpha);
}

/** The anchor that lets the escape wheel on tooth by tooth. */
function paintAnchor(u: number, v: number): Paint {
  const arch = Math.abs(Math.hypot(u, v - 64) - 62) - 9;
  const arms = v < 44 && v > -6 ? arch : 20;
  const boss = Math.hypot(u, v) - 15;
  const alpha = inside(Math.min(arms, boss)) * inside(4 - Math.hypot(u, v));
  return alpha === 0
    ? [0, 0, 0, 0]
    : shade(STEEL, 0.8 + 0.5 * valueNoise(u * 0.3, v * 0.3, 92) + 0.6 * step(6, 0, Math.abs(arch + 5)), alpha);
}

function gearCard(
  scale: number,
  name: string,
  id: number,
  depth: number,
  gear: Gear,
  x: number,
  y: number,
  angle: (t: number) => number,
): Card {
  const reach = gear.radius + 3;
  return {
    name,
    id,
    depth,
    texture: paintTexture(-reach, -reach, reach, reach, (u, v) => paintGear(gear, u, v), scale),
    pose: (t) => ({ x, y, angle: angle(t), curvature: 0 }),
  };
}

/** The bob's fastest two frames, 1010 and 1020, just leave the range of the motion pass. */
const SWING = 0.316,
  BEAT = (2 * Math.PI) / 21;

/** The escape wheel goes on by jerks that are rounded off; the others follow by their teeth. */
function escapeAngle(t: number): number {
  return 0.105 * t + 0.035 * Math.sin(2 * BEAT * t);
}

/** Nearest first. `scale` is pixels a unit of artwork. */
export function makeWheels(scale = 1): readonly Card[] {
  const cards: readonly Card[] = [
    {
      name: 'pendulum',
      id: 1,
      depth: 4,
      texture: paintTexture(-50, -8, 50, 350, paintPendulum, scale),
      pose: (t) => ({ x: 626, y: 96, angle: SWING * Math.sin(BEAT * t + 0.4), curvature: 0 }),
    },
    {
      name: 'anchor',
      id: 2,
      depth: 5,
      texture: paintTexture(-76, -20, 76, 50, paintAnchor, scale),
      pose: (t) => ({ x: 452, y: 106, angle: 0.13 * Math.sin(BEAT * t + 0.4), curvature: 0 }),
    },
    gearCard(
      scale,
      'escape wheel',
      3,
      6,
      { radius: 118, teeth: 30, depth: 17, spokes: 5, base: BRASS, seed: 81, lean: 1.2 },
      452,
      262,
      escapeAngle,
    ),
    gearCard(
      scale,
      'second wheel',
      4,
      7,
      { radius: 84, teeth: 24, depth: 11, spokes: 4, base: STEEL, seed: 82, lean: 0 },
      268,
      352,
      (t) => -1.35 * escapeAngle(t) + 0.1,
    ),
    gearCard(
      scale,
      'great wheel',
      5,
      8,
      { radius: 168, teeth: 44, depth: 13, spokes: 6, base: OAK, seed: 83, lean: 0 },
      154,
      208,
      (t) => 0.62 * escapeAngle(t),
    ),
    gearCard(
      scale,
      'pinion',
      6,
      6.5,
      { radius: 40, teeth: 12, depth: 9, spokes: 3, base: BRASS, seed: 84, lean: 0 },
      344,
      438,
      (t) => 2.7 * escapeAngle(t),
    ),
    gearCard(
      scale,
      'tide wheel',
      7,
      9,
      { radius: 128, teeth: 36, depth: 12, spokes: 5, base: IRON, seed: 85, lean: 0 },
      812,
      356,
      (t) => -0.75 * escapeAngle(t),
    ),
  ];
  return atScale(cards, scale);
}

/** The room behind the wheels: boards, a beam, a window on the marsh, lamp light. Scene-linear. */
export function paintRoom(x: number, y: number): readonly [number, number, number] {
  const lamp = 1.5 * Math.exp(-(((x - 520) / 330) ** 2 + ((y - 150) / 240) ** 2));
  const light = 0.12 + lamp;
  if (x > 716 && x < 884 && y > 66 && y < 216) {
    const bar = Math.abs(x - 800) < 5 || Math.abs(y - 141) < 5 || x < 722 || x > 878 || y < 72 || y > 210;
    if (bar) return [0.05 * light, 0.035 * light, 0.02 * light];
    const marsh = y > 168 + 5 * valueNoise(x * 0.03, 2, 95);
    const cloud = fractalNoise(x * 0.02, y * 0.05, 96, 4);
    return marsh ? [0.2, 0.2, 0.09] : [0.5 + 0.5 * cloud, 0.62 + 0.4 * cloud, 0.8 + 0.3 * cloud];
  }
  if (y > 470) {
    const floor = 0.7 + 0.5 * valueNoise(x * 0.5, Math.floor((y - 470) / 22), 97);
    return [0.13 * floor * light, 0.085 * floor * light, 0.05 * floor * light];
  }
  const beam = y > 28 && y < 74;
  const board = Math.floor(x / 64),
    seam = x % 64 < 2.2 && !beam;
  const grain =
    0.65 +
    0.5 * valueNoise(x * (beam ? 0.05 : 0.6), y * (beam ? 0.6 : 0.04), 98 + (beam ? 50 : board)) +
    0.25 * fractalNoise(x * 0.08, y * 0.02, 99, 3);
  const shade = seam ? 0.25 : beam ? 0.8 : 1;
  return [0.3 * grain * light * shade, 0.2 * grain * light * shade, 0.12 * grain * light * shade];
}
