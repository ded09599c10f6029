import { fractalNoise, hash, step, valueNoise } from '../noise';
import type { CameraPose, Painter, Piece, PlanePose, TestScene } from './planes';
import type { Draw } from './seeded-choice';

/** Kinds of scenes that detection is measured on. */
export const SCENE_KINDS = [
  'over a still plate',
  'over nothing',
  'pan',
  'handheld plate',
  'parallax',
  'flythrough',
  'particles',
  'wheels',
  'flicker',
  'soft',
  'repeating',
] as const;
export type SceneKind = (typeof SCENE_KINDS)[number];

const STILL: CameraPose = { at: [0, 0, 0], pan: 0, tilt: 0, roll: 0 };

/** What the tide mill's world is made of: broad patches, grain and lines, each as strong as drawn. */
function texture(draw: Draw, size: number, coverage: (u: number, v: number) => number, kind: SceneKind): Painter {
  const seed = Math.floor(draw.number() * 4000),
    base = [draw.between(0.15, 0.9), draw.between(0.15, 0.9), draw.between(0.15, 0.9)];
  const isSoft = kind === 'soft',
    isRepeating = kind === 'repeating';
  const patches = draw.between(0.2, 0.8) * (isSoft ? 0.7 : 1),
    grain = isSoft ? 0 : draw.between(0, 0.5),
    lines = draw.chance(isRepeating ? 1 : 0.4) ? draw.between(0.3, 0.8) : 0,
    every = draw.factor(0.05, 0.2) * size,
    broad = size * (isSoft ? 0.5 : draw.factor(0.08, 0.35)),
    fine = size * draw.factor(0.015, 0.05),
    sparse = !isSoft && draw.chance(0.2);
  return (u, v, out) => {
    const alpha = coverage(u, v);
    out[3] = alpha;
    if (alpha <= 0) return;
    let light = 0.55;
    if (!isRepeating) light += patches * (step(0.3, 0.7, fractalNoise(u / broad, v / broad, seed, 2)) - 0.5);
    if (sparse) {
      // Dots on an even colour.
      const cu = Math.floor(u / broad),
        cv = Math.floor(v / broad);
      const du = u / broad - cu - 0.3 - 0.4 * hash(cu, cv, seed + 5),
        dv = v / broad - cv - 0.3 - 0.4 * hash(cu, cv, seed + 6);
      light = 0.45 + (hash(cu, cv, seed + 7) < 0.4 ? 0.5 * step(0.16, 0.1, Math.hypot(du, dv)) : 0);
    } else if (grain > 0) light += grain * (valueNoise(u / fine, v / fine, seed + 9) - 0.5);
    if (lines > 0 && !sparse) {
      const along = isRepeating
        ? Math.max(lineAt(u, every), lineAt(v, every))
        : lineAt(v + 0.3 * broad * valueNoise(u / broad, 0, seed + 3), every);
      light *= 1 - lines * along;
    }
    for (let c = 0; c < 3; c++) out[c] = Math.max(0.01, base[c] * light * 1.6);
  };
}

function lineAt(v: number, every: number): number {
  return step(0.36, 0.44, Math.abs(((((v / every) % 1) + 1) % 1) - 0.5));
}

/** A blob, a disc, a box or a frame of bars, `size` across; its edge is as soft as a pixel or more. */
function shape(draw: Draw, size: number, px: number): (u: number, v: number) => number {
  const soft = px * (draw.chance(0.2) ? draw.between(2, 6) : 0.7),
    seed = Math.floor(draw.number() * 4000),
    ratio = draw.between(0.5, 1);
  const inside = (distance: number) => step(soft, -soft, distance);
  switch (draw.of(['blob', 'disc', 'box', 'bars'] as const)) {
    case 'disc':
      return (u, v) => inside(Math.hypot(u, v / ratio) - size / 2);
    case 'box':
      return (u, v) => inside(Math.max(Math.abs(u) - size / 2, Math.abs(v) - (ratio * size) / 2));
    case 'bars':
      return (u, v) => {
        const turn = (Math.atan2(v, u) / (2 * Math.PI) + 1) % 1,
          r = Math.hypot(u, v),
          bar = Math.abs(((turn * 6) % 1) - 0.5) * ((2 * Math.PI * r) / 6);
        return inside(Math.max(r - size / 2, Math.min(bar - size * 0.08, r - size * 0.12, size * 0.42 - r)));
      };
    case 'blob':
      return (u, v) =>
        inside(Math.hypot(u, v) - (size / 2) * (0.7 + 0.5 * (valueNoise((2 * u) / size + 9, (2 * v) / size + 9, seed) - 0.3)));
  }
}

/** A pose that moves over time: along a way that bends or speeds up, turning and growing. Distances are pixels at depth `focal`. */
function moving(draw: Draw, focal: number, z: number, x: number, y: number, speed: number, spin: number): (t: number) => PlanePose {
  const k = z / focal,
    heading = 2 * Math.PI * draw.number(),
    // Half of all things move evenly.
    bend = draw.chance(0.5) ? 0 : draw.between(-0.35, 0.35) * speed,
    turnBy = draw.chance(0.6) ? 0 : draw.between(-0.25, 0.25),
    nearer = draw.chance(0.7) ? 0 : draw.between(-0.06, 0.06);
  const [dx, dy] = [Math.cos(heading), Math.sin(heading)];
  const angle0 = draw.between(-0.5, 0.5);
  return (t) => {
    const way = speed * t + (bend * t * t) / 2,
      aside = turnBy * speed * t * t * 0.5;
    const px = x + dx * way - dy * aside,
      py = y + dy * way + dx * aside,
      depth = z * (1 + nearer * t),
      a = angle0 + spin * t,
      [c, s] = [Math.cos(a) * k, Math.sin(a) * k];
    return { origin: [px * k, py * k, depth], along: [c, s, 0], across: [-s, c, 0] };
  };
}

function still(focal: number, z: number, tilted = 0): (t: number) => PlanePose {
  const k = z / focal;
  return () => ({ origin: [0, 0, z], along: [k, 0, tilted * k], across: [0, k, 0] });
}

/** A scene of this kind: everything else follows from the draws. Lengths are pixels of a picture of this size. */
export function randomScene(kind: SceneKind, draw: Draw, width: number, height: number): TestScene {
  const focal = width * draw.between(0.8, 1.8),
    full = { reachU: width * 3, reachV: height * 3 };
  const pieces: Piece[] = [];
  let camera: (t: number) => CameraPose = () => STILL,
    light = () => 1;
  const plate = (z = focal * 4, pose = still(focal, z)) => pieces.push({ paint: texture(draw, width * 0.6, () => 1, kind), ...full, pose });
  const speed = () => width * draw.factor(0.008, 0.09);
  const thing = (size: number, spin = draw.chance(0.5) ? 0 : draw.between(-0.3, 0.3)) => {
    const z = focal * draw.between(1, 3);
    pieces.push({
      paint: texture(draw, size, shape(draw, size, 1), kind),
      reachU: size,
      reachV: size,
      pose: moving(draw, focal, z, draw.between(-0.25, 0.25) * width, draw.between(-0.2, 0.2) * height, speed(), spin),
    });
  };
  const things = (from: number, to: number, low = 0.12, high = 0.5) => {
    const count = Math.round(draw.between(from, to));
    for (let n = 0; n < count; n++) thing(width * draw.factor(low, high));
  };
  switch (kind) {
    case 'over a still plate':
      plate();
      things(1, 3, 0.08, 0.35);
      break;
    case 'over nothing':
      things(1, 4);
      break;
    case 'pan': {
      plate();
      if (draw.chance(0.4)) things(1, 2);
      const [pan, tilt] = [draw.between(-0.06, 0.06), draw.chance(0.5) ? 0 : draw.between(-0.03, 0.03)];
      camera = (t) => ({ ...STILL, pan: pan * t, tilt: tilt * t });
      break;
    }
    case 'handheld plate': {
      plate();
      things(0, 2);
      const shake = [0, 1, 2, 3, 4, 5].map(() => draw.between(-1, 1)),
        amount = draw.factor(0.004, 0.03);
      camera = (t) => ({
        at: [0, 0, focal * 0.02 * shake[0] * t],
        pan: amount * (shake[1] * t + shake[2] * t * t * 0.4),
        tilt: amount * (shake[3] * t + shake[4] * t * t * 0.4),
        roll: amount * shake[5] * t,
      });
      break;
    }
    case 'parallax': {
      plate(focal * 8);
      const count = Math.round(draw.between(2, 5));
      for (let n = 0; n < count; n++) {
        const z = focal * draw.factor(1, 6),
          size = (width * draw.between(0.3, 0.8) * z) / focal / 2;
        const [x, y] = [(draw.between(-0.6, 0.6) * width * z) / focal, (draw.between(-0.3, 0.4) * height * z) / focal],
          lean = draw.between(-0.6, 0.6);
        pieces.push({
          paint: texture(draw, size, shape(draw, size, z / focal), kind),
          reachU: size,
          reachV: size,
          pose: () => ({ origin: [x, y, z], along: [Math.cos(lean), 0, Math.sin(lean)], across: [0, 1, 0] }),
        });
      }
      if (draw.chance(0.5)) {
        const floor = focal * draw.between(0.4, 0.9);
        pieces.push({
          paint: texture(draw, width, () => 1, kind),
          reachU: width * 8,
          reachV: width * 8,
          pose: () => ({ origin: [0, floor, focal * 4], along: [1, 0, 0], across: [0, 0, 1] }),
        });
      }
      const go = [draw.between(-1, 1), draw.between(-0.4, 0.4), draw.between(-0.6, 0.6)].map((v) => v * focal * 0.07);
      camera = (t) => ({ ...STILL, at: [go[0] * t, go[1] * t, go[2] * t] });
      break;
    }
    case 'flythrough': {
      plate(focal * 20);
      const side = width * draw.between(0.5, 1),
        down = side * draw.between(0.5, 0.8);
      const wall = (origin: PlanePose['origin'], along: PlanePose['along'], across: PlanePose['across']) =>
        pieces.push({
          paint: texture(draw, width * 0.6, () => 1, kind),
          reachU: width * 12,
          reachV: width * 2,
          pose: () => ({ origin, along, across }),
        });
      wall([-side, 0, 0], [0, 0, 1], [0, 1, 0]);
      wall([side, 0, 0], [0, 0, 1], [0, 1, 0]);
      wall([0, down, 0], [0, 0, 1], [1, 0, 0]);
      if (draw.chance(0.5)) wall([0, -down, 0], [0, 0, 1], [1, 0, 0]);
      const pace = focal * draw.factor(0.03, 0.2),
        pan = draw.between(-0.02, 0.02);
      camera = (t) => ({ at: [0, 0, pace * t], pan: pan * t, tilt: 0, roll: 0 });
      break;
    }
    case 'particles': {
      if (draw.chance(0.5)) plate();
      const count = Math.round(draw.between(60, 250)),
        size = draw.factor(4, 14),
        fall = draw.between(0, 1.5);
      const spray = speed();
      for (let n = 0; n < count; n++) {
        const own = size * draw.between(0.6, 1.5),
          z = focal * draw.between(1, 2),
          k = z / focal;
        const angle = 2 * Math.PI * draw.number(),
          pace = spray * draw.between(0.2, 1),
          [x, y] = [draw.between(-0.5, 0.5) * width, draw.between(-0.5, 0.5) * height];
        pieces.push({
          paint: texture(draw, own * 3, (u, v) => step(own / 2 + 0.6, own / 2 - 0.6, Math.hypot(u, v)), kind),
          reachU: own,
          reachV: own,
          pose: (t) => ({
            origin: [(x + Math.cos(angle) * pace * t) * k, (y + Math.sin(angle) * pace * t + fall * t * t) * k, z],
            along: [k, 0, 0],
            across: [0, k, 0],
          }),
        });
      }
      break;
    }
    case 'wheels': {
      if (draw.chance(0.6)) plate();
      const count = Math.round(draw.between(1, 3));
      for (let n = 0; n < count; n++) thing(width * draw.between(0.25, 0.6), draw.between(0.08, 0.45) * (draw.chance(0.5) ? 1 : -1));
      break;
    }
    case 'flicker': {
      if (draw.chance(0.7)) plate();
      things(1, 3);
      const [a, b] = [draw.between(0.05, 0.25), draw.between(0, 6)];
      light = ((t: number) => 1 + a * Math.sin(2.4 * t + b)) as () => number;
      break;
    }
    case 'soft':
      if (draw.chance(0.5)) plate();
      things(1, 3, 0.25, 0.6);
      break;
    case 'repeating':
      if (draw.chance(0.6)) plate();
      things(1, 3, 0.25, 0.6);
      break;
  }
  return { name: kind, width, height, focal, pieces, camera, light, grain: draw.chance(0.4) ? draw.factor(0.002, 0.02) : 0 };
}
