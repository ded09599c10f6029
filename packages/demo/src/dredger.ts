import path from 'node:path';
import { encodeExr, windowOfSize, type Attribute, type Plane } from '@ivrex/core';
import { writeFileAtomic, type NodeHost } from '@ivrex/media';
import { exposeDike } from './dike';
import type { DemoSize } from './render-cards';
import { addBlock, addTurned, ballProfile, limbProfile, type Mesh } from './solid/mesh';
import { chain, moved, turnedAbout, type Placement } from './solid/placement';
import { exposeSolid, renderSolid, type SolidScene } from './solid/render-solid';
import { addTarpaulin, addWheel } from './solid/solid-scenes';
import { BODY, LIMB, WOOD } from './solid/surfaces';

/**
 * TC_050: the clockwork dredger walks along the dike, the camera pans with it. One id for all of it, motion to the next frame only, and a depth pass that
 * says 1e6 where nothing is, as renderers commonly do.
 */
export const DREDGER = { frames: 16, fps: 24 } as const;
/** What plate and references were exposed with: 172.8 degrees about the frame. */
export const DREDGER_SHUTTER = { opens: -0.24, closes: 0.24 } as const;
/** Frames for which the dredger was rendered with its blur too. */
export const DREDGER_REFERENCES: readonly number[] = [1005, 1011];

export type DredgerKind = 'dredger' | 'plate' | 'reference';

const DEGREE = Math.PI / 180;
const MIDDLE = (DREDGER.frames - 1) / 2;
/** Units of artwork a unit of length: about a pixel each in a picture 960 wide, so that grain is no finer than a render shows. */
const PER_UNIT = 120;

/** The camera stands on the marsh, 1.1 above it, and follows the dredger with a pan. */
const camera = (t: number): Placement => chain(turnedAbout('y', 1.25 * (t - MIDDLE) * DEGREE), turnedAbout('x', -3 * DEGREE));
const GROUND_Y = 1.1;

/** In a picture 640 wide. */
const FOCAL_PX = 620;

export const DREDGER_SCENE: SolidScene = {
  name: 'dredger',
  stresses: 'a walking dredger under one id, legs across its hull, spoked wheels and a flapping tarpaulin, motion to the next frame only',
  focalPx: FOCAL_PX,
  camera,
  build: (mesh, t) => addDredger(mesh, chain(moved(0.16 * (t - MIDDLE) + 0.1, GROUND_Y, 6.6), turnedAbout('y', 22 * DEGREE)), t),
};

/** Standing on y = 0, 2.9 long and 2.6 high, walking along its x; one step takes 18 frames. */
export function addDredger(mesh: Mesh, place: Placement, t: number): void {
  const phase = (2 * Math.PI * t) / 18;
  const hull = chain(place, moved(0, 0.04 * Math.cos(2 * phase) - 0.1, 0), turnedAbout('z', 0.02 * Math.sin(2 * phase + 0.6)));
  addBlock(mesh, BODY, chain(hull, moved(0, -0.95, 0)), [1.25, 0.26, 0.42], PER_UNIT, 8);
  addBlock(mesh, WOOD, chain(hull, moved(0.62, -1.42, 0)), [0.4, 0.22, 0.34], PER_UNIT, 4);
  // The boiler lies along the hull, its chimney stands on it.
  const boiler = chain(hull, moved(0.2, -1.42, 0), turnedAbout('z', 90 * DEGREE));
  addTurned(
    mesh,
    LIMB,
    boiler,
    [
      [0, 0],
      [0.24, 0.03],
      [0.27, 0.3],
      [0.27, 0.8],
      [0.24, 1.1],
      [0, 1.14],
    ],
    30,
    PER_UNIT,
  );
  addTurned(
    mesh,
    BODY,
    chain(hull, moved(-0.15, -2.4, 0)),
    [
      [0, 0],
      [0.13, 0],
      [0.09, 0.12],
      [0.09, 0.75],
    ],
    20,
    PER_UNIT,
  );
  for (const side of [-1, 1])
    for (let n = -1; n <= 1; n++)
      addLeg(mesh, chain(hull, moved(0.86 * n, -0.86, 0.56 * side)), phase + ((n + (side > 0 ? 1 : 0)) % 2 === 0 ? 0 : Math.PI));
  // The clockwork: two wheels before the hull, geared, and the one that lifts the buckets.
  addWheel(mesh, chain(hull, moved(0.3, -1.3, -0.52), turnedAbout('z', 0.34 * t)), 1, PER_UNIT);
  addWheel(mesh, chain(hull, moved(-0.32, -1.12, -0.52), turnedAbout('z', -0.34 * 1.5 * t + 0.5)), 2 / 3, PER_UNIT);
  addLadder(mesh, chain(hull, moved(1.15, -1.1, 0), turnedAbout('z', (-24 + 4 * Math.sin(phase)) * DEGREE)), t);
  addTurned(
    mesh,
    WOOD,
    chain(hull, moved(-1.12, -2.5, 0)),
    [
      [0, 0],
      [0.035, 0.02],
      [0.045, 1.5],
    ],
    12,
    PER_UNIT,
  );
  addTarpaulin(mesh, chain(hull, moved(-1.12, -2.45, 0), turnedAbout('y', 168 * DEGREE)), t, 150, 95, 0.5);
}

/** From its hip down; it lifts its foot while it swings forward. */
function addLeg(mesh: Mesh, hip: Placement, phase: number): void {
  const swing = 0.5 * Math.sin(phase),
    lift = 0.42 * Math.max(0, Math.cos(phase));
  const upper = chain(hip, turnedAbout('z', -swing - 0.35)),
    knee = chain(upper, moved(0, 0.46, 0), turnedAbout('z', 0.7 + lift + 0.3 * swing));
  addTurned(mesh, LIMB, upper, limbProfile(0.1, 0.075, 0.46), 18, PER_UNIT);
  addTurned(mesh, WOOD, knee, limbProfile(0.075, 0.05, 0.44), 16, PER_UNIT);
  addTurned(mesh, BODY, hip, ballProfile(0.13, 8), 18, PER_UNIT);
  addBlock(mesh, BODY, chain(knee, moved(0.03, 0.47, 0), turnedAbout('z', -0.35 - lift)), [0.14, 0.035, 0.09], PER_UNIT, 2);
}

/** The arm that carries the buckets, out along its x, with a wheel at its end. */
function addLadder(mesh: Mesh, root: Placement, t: number): void {
  for (const side of [-1, 1]) addBlock(mesh, WOOD, chain(root, moved(0.5, 0, 0.14 * side)), [0.55, 0.05, 0.025], PER_UNIT, 4);
  addWheel(mesh, chain(root, moved(1.02, 0, 0), turnedAbout('z', 0.5 * t)), 0.5, PER_UNIT);
  for (let n = 0; n < 7; n++) {
    const along = n + 0.11 * (t - MIDDLE) + 0.4;
    addBlock(mesh, BODY, chain(root, moved(0.15 * along, -0.13, 0)), [0.055, 0.06, 0.1], PER_UNIT, 1);
  }
}

export function dredgerFile(kind: DredgerKind, frame: number): string {
  return path.join('TC_050', `${NAMES[kind]}.${frame}.exr`);
}

const NAMES: Record<DredgerKind, string> = { dredger: 'TC_050_dredger', plate: 'TC_050_plate', reference: 'TC_050_dredger_ref' };
const COMMENTS: Record<DredgerKind, string> = {
  dredger: 'TC_050 the dredger walks along the dike',
  plate: 'TC_050 plate, shutter 172.8 degrees',
  reference: 'TC_050 the dredger, shutter 172.8 degrees',
};
const RENDER_SECONDS: Record<DredgerKind, number> = { dredger: 188, plate: 64, reference: 960 };

/** Looks of four points a pixel each; moments of the plate's exposure, and of a frame of time. */
const LOOKS = 4,
  MOMENTS = { plate: 16, reference: 100 };

export async function makeDredgerFile(kind: DredgerKind, t: number, size: DemoSize, file: string, host: NodeHost): Promise<void> {
  const attributes = new Map<string, Attribute>([
    ['framesPerSecond', { type: 'rational', value: [DREDGER.fps, 1] }],
    ['owner', { type: 'string', value: 'The Tidal Clock' }],
    ['comments', { type: 'string', value: COMMENTS[kind] }],
    ['renderTimeSeconds', { type: 'float', value: RENDER_SECONDS[kind] }],
  ]);
  const window = windowOfSize(size.width, size.height),
    planes = planesOf(kind, t, size);
  await writeFileAtomic(file, encodeExr({ displayWindow: window, dataWindow: window, planes }, { compression: 'zip', attributes }, host));
}

function planesOf(kind: DredgerKind, t: number, size: DemoSize): Plane[] {
  const half = (values: Float32Array, stride: number, names: readonly string[]) =>
    names.map((name, c): Plane => ({
      name,
      type: 'half',
      data: Float32Array.from({ length: values.length / stride }, (_, i) => values[i * stride + c]),
    }));
  switch (kind) {
    case 'dredger': {
      const { rgba, motion, depth, ids } = renderSolid(DREDGER_SCENE, t, size, LOOKS);
      // Up is positive, as much of the trade has it.
      const forward = motion.map((v, k) => (k % 4 === 1 ? -v : v));
      return [
        ...half(rgba, 4, ['R', 'G', 'B', 'A']),
        ...half(forward, 4, ['velocity.x', 'velocity.y']),
        { name: 'depth.Z', type: 'float', data: depth },
        { name: 'id.object', type: 'uint', data: ids },
      ];
    }
    case 'plate':
      return half(exposeDike(camera, t, DREDGER_SHUTTER, (FOCAL_PX * size.width) / 640, size, MOMENTS.plate), 4, [
        'R',
        'G',
        'B',
        'A',
      ]).slice(0, 3);
    case 'reference':
      return half(exposeSolid(DREDGER_SCENE, t, [DREDGER_SHUTTER], size, MOMENTS.reference)[0], 4, ['R', 'G', 'B', 'A']);
  }
}
