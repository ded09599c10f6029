import { hash } from '../noise';
import { addBlock, addSheet, addTurned, ballProfile, limbProfile, type Mesh } from './mesh';
import { chain, HERE, moved, placed, turned, turnedAbout, type Placement, type Vector } from './placement';
import type { SolidScene } from './render-solid';
import { BODY, CLOTH, GROUND, LIMB, REED, WALL, WOOD } from './surfaces';

const DEGREE = Math.PI / 180;
const still = (): Placement => HERE;

/** Each scene for a picture of this width: lengths and motion shrink with it, grain does not. */
export function solidScenes(width = 640): readonly SolidScene[] {
  const k = width / 640;
  return [
    {
      name: 'walker',
      stresses: 'a clockwork walker under one id, limbs before its body, over nothing',
      focalPx: 1000,
      camera: still,
      build: (mesh, t) => addWalker(mesh, chain(moved(0.05 * t, 0.14, 5.8), turnedAbout('y', 28 * DEGREE)), 0.46 * t + 0.4, 172 * k),
    },
    {
      name: 'walker before a wall',
      stresses: 'the same before a wall that stands still',
      focalPx: 1000,
      camera: still,
      build: (mesh, t) => {
        addWalker(mesh, chain(moved(0.06 * t, 0.14, 5.8), turnedAbout('y', 34 * DEGREE)), 0.46 * t + 1.9, 172 * k);
        addSheet(mesh, WALL, 8, 6, 1000 * k, 700 * k, (a, b) => [20 * a - 10, 14 * b - 7, 11]);
      },
    },
    {
      name: 'rotor',
      stresses: 'four pitched blades, 30 degrees a frame, tilted away',
      focalPx: 700,
      camera: still,
      build: (mesh, t) => {
        const axle = chain(
          moved(0, 0, 5),
          turnedAbout('z', -12 * DEGREE),
          turnedAbout('x', -54 * DEGREE),
          turnedAbout('y', (30 * t + 20) * DEGREE),
        );
        addTurned(mesh, BODY, axle, ballProfile(0.16), 24, 140 * k);
        for (let n = 0; n < 4; n++) {
          const arm = chain(axle, turnedAbout('y', 90 * n * DEGREE));
          for (const side of [-1, 1])
            addSheet(mesh, side < 0 ? WOOD : LIMB, 14, 4, 150 * k, 30 * k, (a, b) => {
              // Twisted and narrower towards the tip; both faces bulge a little.
              const chord = 0.13 - 0.06 * a,
                across = 2 * b - 1;
              return placed(chain(arm, moved(0.13 + a, 0, 0), turnedAbout('x', (28 - 18 * a) * DEGREE)), [
                0,
                side * 0.014 * (1 - across * across),
                across * chord,
              ]);
            });
        }
      },
    },
    {
      name: 'tarpaulin',
      stresses: 'cloth whose folds hide each other',
      focalPx: 800,
      camera: still,
      build: (mesh, t) => addTarpaulin(mesh, chain(moved(-0.7, -0.5, 3.9), turnedAbout('y', -36 * DEGREE)), t, 320 * k, 200 * k),
    },
    {
      name: 'flythrough',
      stresses: 'a camera that flies past posts and bollards, one id',
      focalPx: 500,
      camera: (t) =>
        chain(moved(0.04 * t, 0.02 * Math.sin(0.8 * t), 0.34 * t), turnedAbout('y', -1.1 * t * DEGREE), turnedAbout('x', 3 * DEGREE)),
      build: (mesh) => addMarsh(mesh, k),
    },
    {
      name: 'reeds',
      stresses: '220 stalks 1 to 2 px thin, swaying round a float',
      focalPx: 800,
      camera: still,
      build: (mesh, t) => addReeds(mesh, t, k),
    },
    {
      name: 'cart',
      stresses: 'a cart with spoked wheels before a panned yard',
      focalPx: 700,
      camera: (t) => chain(moved(0, -0.25, 0), turnedAbout('y', 2.1 * t * DEGREE), turnedAbout('x', 2 * DEGREE)),
      build: (mesh, t) => {
        addCart(mesh, chain(moved(-0.2, 0, 6.2), turnedAbout('y', 15 * DEGREE), moved(0.3 * t, 0, 0)), 0.3 * t, 115 * k);
        addSheet(mesh, GROUND, 40, 16, 2400 * k, 1200 * k, (a, b) => [60 * a - 30, 0.42, 2.2 + 20 * b]);
        addSheet(mesh, WALL, 20, 6, 3000 * k, 600 * k, (a, b) => [60 * a - 30, 12 * b - 11, 16]);
      },
    },
  ];
}

/** A clockwork walker, 1.8 high, looking along its x; `phase` is of its step, radians. */
export function addWalker(mesh: Mesh, place: Placement, phase: number, perUnit: number): void {
  const trunk = chain(place, moved(0, -0.03 * Math.abs(Math.sin(phase)), 0), turnedAbout('y', 0.12 * Math.sin(phase)));
  addTurned(
    mesh,
    BODY,
    chain(trunk, moved(0, -0.72, 0)),
    [
      [0, 0],
      [0.2, 0.02],
      [0.26, 0.16],
      [0.2, 0.5],
      [0.22, 0.66],
      [0, 0.7],
    ],
    28,
    perUnit,
  );
  addTurned(mesh, LIMB, chain(trunk, moved(0.03, -0.9, 0)), ballProfile(0.15), 24, perUnit);
  for (const side of [-1, 1]) {
    const swing = side * Math.sin(phase),
      follow = side * Math.sin(phase - 0.9);
    const hip = chain(trunk, moved(0, -0.04, 0.13 * side), turnedAbout('z', -0.55 * swing)),
      knee = chain(hip, moved(0, 0.42, 0), turnedAbout('z', 0.35 + 0.3 * follow));
    addTurned(mesh, LIMB, hip, limbProfile(0.1, 0.075, 0.42), 18, perUnit);
    addTurned(mesh, WOOD, knee, limbProfile(0.075, 0.055, 0.4), 16, perUnit);
    addBlock(mesh, BODY, chain(knee, moved(0.06, 0.42, 0)), [0.13, 0.04, 0.06], perUnit);
    const shoulder = chain(trunk, moved(0, -0.62, 0.29 * side), turnedAbout('z', 0.6 * swing)),
      elbow = chain(shoulder, moved(0, 0.32, 0), turnedAbout('z', -0.5 + 0.25 * follow));
    addTurned(mesh, WOOD, shoulder, limbProfile(0.075, 0.06, 0.32), 16, perUnit);
    addTurned(mesh, LIMB, elbow, limbProfile(0.06, 0.045, 0.3), 14, perUnit);
    addTurned(mesh, BODY, chain(elbow, moved(0, 0.34, 0)), ballProfile(0.075, 8), 14, perUnit);
  }
}

/** Cloth 1.5 x 1 held along its left edge, `times` as large; waves run through it and fold it over itself. */
export function addTarpaulin(mesh: Mesh, place: Placement, t: number, width: number, height: number, times = 1): void {
  addSheet(mesh, CLOTH, 130, 36, width, height, (a, b) => {
    const reach = 0.2 * a ** 0.75,
      wave = 13.5 * a + 1.4 * b - 0.62 * t + 0.9,
      cross = 6 * a - 2.8 * b - 0.4 * t;
    return placed(place, [
      times * (1.5 * a - 0.55 * reach * Math.cos(wave) + 0.02 * Math.sin(3.2 * b + 0.4 * t)),
      times * (0.95 * b + 0.06 * a * Math.sin(cross) + 0.15 * a * a),
      times * (reach * Math.sin(wave) + 0.05 * a * Math.sin(cross)),
    ]);
  });
}

function addMarsh(mesh: Mesh, k: number): void {
  addSheet(mesh, { ...GROUND, id: 1 }, 76, 60, 76 * 100 * k, 60 * 100 * k, (a, b) => [76 * a - 38, 1.5, 60 * b - 2]);
  addSheet(mesh, { ...WALL, id: 1 }, 48, 4, 3000 * k, 500 * k, (a, b) => {
    const around = (a - 0.5) * Math.PI * 1.2;
    return [58 * Math.sin(around), 60 * b - 44, 58 * Math.cos(around) - 2];
  });
  for (let i = 0; i < 56; i++) {
    const random = (n: number) => hash(i, n, 811),
      z = 2.5 + 29 * ((i + 0.5) / 56) ** 1.4;
    let x = (2 * random(0) - 1) * (1.2 + 0.6 * z);
    // Nothing stands where the camera flies.
    if (Math.abs(x) < 0.8 && z < 9) x += x < 0 ? -0.9 : 0.9;
    const radius = 0.12 + 0.28 * random(1) * (z > 4 ? 1 : 0.4),
      tall = 0.7 + 2.4 * random(2) * random(3),
      perUnit = (500 * k) / Math.max(3, z),
      material = [BODY, LIMB, WOOD, CLOTH][i % 4];
    if (i % 2 === 1)
      addTurned(
        mesh,
        material,
        moved(x, 1.5, z),
        [
          [radius, 0],
          [radius, -0.4 * tall],
          [0.9 * radius, -0.85 * tall],
          [0, -tall],
        ],
        20,
        perUnit,
      );
    else
      addBlock(mesh, material, chain(moved(x, 1.5 - tall / 2, z), turnedAbout('y', 1.5 * random(4))), [radius, tall / 2, radius], perUnit);
  }
}

/** A small picture shows fewer stalks, as thin as in a large one. */
function addReeds(mesh: Mesh, t: number, k: number): void {
  const turn = (2 * Math.PI * t) / 15;
  const place = chain(
    moved(0.3 * Math.sin(turn + 0.4) - 0.1, 0.14 * Math.cos(turn + 0.4) - 0.05, 4 + 0.1 * Math.sin(0.3 * t)),
    turnedAbout('z', 5 * t * DEGREE),
  );
  addTurned(mesh, BODY, place, ballProfile(0.26, 20), 32, 200 * k);
  for (let i = 0; i < Math.round(220 * k); i++) {
    const random = (n: number) => hash(i, n, 823);
    const around = 2 * Math.PI * random(0),
      high = 2 * random(1) - 1,
      flat = Math.sqrt(1 - high * high);
    const out = turned(place, [flat * Math.cos(around), high, flat * Math.sin(around)]),
      root = placed(place, [0.258 * flat * Math.cos(around), 0.258 * high, 0.258 * flat * Math.sin(around)]);
    const long = 0.34 + 0.3 * random(2),
      half = (0.6 + 0.5 * random(3)) / (200 * k),
      sway = Math.sin((2 * Math.PI * t) / 11 + 0.4 + 1.2 * (random(4) - 0.5)),
      drop = 0.22 + 0.06 * Math.cos((2 * Math.PI * t) / 7 + 6 * random(5));
    const at = (s: number): Vector => [
      root[0] + long * s * out[0] + 0.24 * sway * s * s,
      root[1] + long * s * out[1] + drop * s * s,
      root[2] + long * s * out[2] + 0.08 * sway * s * s,
    ];
    addSheet(mesh, [REED, WOOD, CLOTH][i % 3], 10, 1, long * 200 * k, 3, (a, b) => {
      // As wide as it shows: across the stalk, square to the view.
      const p = at(a),
        [qx, qy] = at(a + 0.01),
        dx = qx - p[0],
        dy = qy - p[1],
        w = ((2 * b - 1) * half * (1 - 0.6 * a)) / Math.max(1e-6, Math.hypot(dx, dy));
      return [p[0] - dy * w, p[1] + dx * w, p[2]];
    });
  }
}

/** A cart that has rolled `way`; its wheels stand on y = 0.42. */
export function addCart(mesh: Mesh, place: Placement, way: number, perUnit: number): void {
  addBlock(mesh, BODY, chain(place, moved(0, -0.3, 0)), [1.6, 0.26, 0.6], perUnit, 6);
  addBlock(mesh, WOOD, chain(place, moved(-0.3, -0.78, 0)), [0.7, 0.22, 0.5], perUnit, 4);
  for (const x of [-1.05, 1.05])
    for (const z of [-0.72, 0.72])
      addWheel(mesh, chain(place, moved(x, 0, z), turnedAbout('z', way / WHEEL_RADIUS + 0.4 * x + 0.7 * z)), 1, perUnit);
}

export const WHEEL_RADIUS = 0.42;

/** A wheel with six spokes that turns about its z, `times` as large as the cart's. */
export function addWheel(mesh: Mesh, hub: Placement, times: number, perUnit: number): void {
  const axle = chain(hub, turnedAbout('x', Math.PI / 2)),
    profile = (points: readonly (readonly [number, number])[]) => points.map(([radius, y]) => [radius * times, y * times] as const);
  const rim = profile([
    [0.33, -0.08],
    [0.4, -0.09],
    [WHEEL_RADIUS, -0.05],
    [WHEEL_RADIUS, 0.05],
    [0.4, 0.09],
    [0.33, 0.08],
    [0.33, -0.08],
  ]);
  const cap = profile([
    [0, -0.1],
    [0.07, -0.1],
    [0.09, 0],
    [0.07, 0.1],
    [0, 0.1],
  ]);
  addTurned(mesh, LIMB, axle, rim, 36, perUnit);
  addTurned(mesh, BODY, axle, cap, 18, perUnit);
  for (let n = 0; n < 6; n++)
    addBlock(
      mesh,
      WOOD,
      chain(hub, turnedAbout('z', (n * Math.PI) / 3), moved(0.2 * times, 0, 0)),
      [0.13 * times, 0.022 * times, 0.02 * times],
      perUnit,
      1,
    );
}
