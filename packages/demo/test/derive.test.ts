import {
  cameraAt,
  cameraFromMatrices,
  decodeSceneVelocity,
  deriveMotion,
  proveMotion,
  rawPixels,
  type Camera,
  type DeriveInput,
  type Encoding,
  type MotionField,
  type SceneVelocity,
  type Surface,
} from '@ivrex/core';
import { cameraMatrices, eyeAt } from '../src';
import type { GlassFloatFrames } from './glass-float-frames';
import { runOutside } from './run-outside';

const SIZE = { width: 240, height: 135 },
  COUNT = SIZE.width * SIZE.height,
  T = 5;
let now: { readonly motion: Float32Array; readonly depth: Float32Array; readonly position: Float32Array };
let pictures: readonly Float32Array[];

beforeAll(() => {
  const frames = runOutside<GlassFloatFrames>('glass-float-frames.ts');
  now = {
    motion: Float32Array.from(frames.motion),
    depth: Float32Array.from(frames.depth),
    position: Float32Array.from(frames.position),
  };
  pictures = frames.pictures.map((p) => Float32Array.from(p));
});

/** As a file's header holds it. */
function cameraOf(t: number): Camera {
  const { worldToNDC, worldToCamera } = cameraMatrices(t, SIZE);
  return cameraFromMatrices(worldToNDC.map(Math.fround), worldToCamera.map(Math.fround), SIZE);
}

function input(surface: Surface, velocity: SceneVelocity | null = null): DeriveInput {
  return { ...SIZE, previous: cameraOf(T - 1), now: cameraOf(T), next: cameraOf(T + 1), surface, velocity, coverage: null };
}

/** Distances from the truth, both ways, ascending. */
function errorsOf({ toNext, toPrevious, valid }: MotionField, keep: (i: number) => boolean = () => true): number[] {
  const out: number[] = [];
  let without = 0;
  for (let i = 0; i < COUNT; i++) {
    if (!keep(i)) continue;
    if (valid[i] === 0) without++;
    out.push(
      Math.hypot(toNext[i * 2] - now.motion[i * 4], toNext[i * 2 + 1] - now.motion[i * 4 + 1]),
      Math.hypot(toPrevious[i * 2] - now.motion[i * 4 + 2], toPrevious[i * 2 + 1] - now.motion[i * 4 + 3]),
    );
  }
  expect(without).toBe(0);
  return out.sort((a, b) => a - b);
}
const at = (sorted: readonly number[], share: number) => sorted[Math.floor(share * (sorted.length - 1))];

test('from depth and header matrices, away from edges and on them', () => {
  const { field, offByPx } = deriveMotion(input({ kind: 'depth', depth: now.depth, measured: 'alongView' }));
  const errors = errorsOf(field);
  expect(at(errors, 0.5)).toBeLessThan(0.001);
  expect(at(errors, 0.999)).toBeLessThan(0.01);
  expect(offByPx).toBeNull();
  expect(field.twoSided).toBe(true);
});

test('from depth that counts from the eye, and from world positions', () => {
  const eye = eyeAt(T);
  const place = (k: number) => Float32Array.from({ length: COUNT }, (_, i) => now.position[i * 3 + k]);
  const [x, y, z] = [place(0), place(1), place(2)];
  const ray = x.map((v, i) => Math.hypot(v - eye.x, y[i] - eye.y, z[i] - eye.z));
  const fromEye = deriveMotion(input({ kind: 'depth', depth: ray, measured: 'fromEye' }));
  expect(at(errorsOf(fromEye.field), 0.999)).toBeLessThan(0.01);
  const positions = deriveMotion(input({ kind: 'position', x, y, z }));
  expect(at(errorsOf(positions.field), 0.999)).toBeLessThan(0.01);
  expect(positions.offByPx).toBeLessThan(0.01);
  // With the camera of another frame positions are not where they are seen.
  const other = deriveMotion({ ...input({ kind: 'position', x, y, z }), now: cameraOf(T + 2) });
  expect(other.offByPx).toBeGreaterThan(0.5);
});

test('the pictures tell which way depth was measured', () => {
  const [previous, current, next] = pictures,
    neighbours = { ...SIZE, now: current, next, previous };
  const [right, wrong] = (['alongView', 'fromEye'] as const).map((measured) =>
    proveMotion(neighbours, deriveMotion(input({ kind: 'depth', depth: now.depth, measured })).field),
  );
  expect(right?.before).toBeGreaterThan(0.02);
  expect(right?.after).toBeLessThan(0.6 * (right?.before ?? 0));
  expect(right?.after).toBeLessThan(0.98 * (wrong?.after ?? 0));
});

test('a flat card stays where it stands, however the camera goes on', () => {
  const far = (i: number) => now.position[i * 3 + 2] === Math.fround(-36);
  // The painted distance is a card 36 before the scene's origin; the camera that it faces looks straight at it.
  const straight = cameraFromMatrices(facing(0), null, SIZE);
  const { field } = deriveMotion(input({ kind: 'card', distance: 36, facing: straight }));
  const errors = errorsOf(field, far);
  expect(errors.length).toBeGreaterThan(1000);
  expect(at(errors, 0.999)).toBeLessThan(0.01);
  expect(() => deriveMotion(input({ kind: 'card', distance: 0, facing: straight }))).toThrow('above 0');
});

/** worldToNDC of a camera at the origin that looks along -z. */
function facing(z: number): number[] {
  const f = 225;
  return [f / SIZE.width, 0, 0, 0, 0, -f / SIZE.height, 0, 0, -0.5, -0.5, -1, -1, 0.5 * z, 0.5 * z, z, z];
}

test('the first and the last frame carry the camera on', () => {
  const track = { name: 'header', frames: new Map([0, 1, 2, 3, 4, 5].map((t) => [t, cameraOf(t)])) };
  const beyond = cameraAt(track, 6);
  expect(beyond.continued).toBe(true);
  const { field } = deriveMotion({ ...input({ kind: 'depth', depth: now.depth, measured: 'alongView' }), next: beyond.camera });
  // The truck sways: the parabola is off by its third differences.
  const errors = errorsOf({
    ...field,
    toPrevious: deriveMotion(input({ kind: 'depth', depth: now.depth, measured: 'alongView' })).field.toPrevious,
  });
  expect(at(errors, 0.99)).toBeLessThan(1);
  // A camera that speeds up evenly is met exactly.
  const even = new Map([1, 2, 3].map((t) => [t, cameraFromMatrices(facing(0.02 * t * t - 0.3 * t), null, SIZE)]));
  const fourth = cameraAt({ name: 'even', frames: even }, 4).camera.toScreen,
    truth = cameraFromMatrices(facing(0.02 * 16 - 1.2), null, SIZE).toScreen;
  expect(Math.max(...fourth.map((v, k) => Math.abs(v - truth[k])))).toBeLessThan(1e-9);
  expect(cameraAt(track, 3).continued).toBe(false);
  expect(() => cameraAt(track, 20)).toThrow('says nothing about frame 20');
  const gap = { name: 'gap', frames: new Map([0, 1, 2, 4, 5].map((t) => [t, cameraOf(t)])) };
  const bridged = cameraAt(gap, 3);
  expect(bridged.continued).toBe(false);
  expect(bridged.camera.toScreen.every((v, k) => Math.abs(v - cameraOf(3).toScreen[k]) < 0.02 * (1 + Math.abs(v)))).toBe(true);
});

describe('what moves by itself', () => {
  /** Everything drifts by 0.05, 0.02, -0.1 a frame along the scene's axes. */
  const drift = [0.05, 0.02, -0.1] as const;
  const raw = (space: 'world' | 'camera', part: Partial<Encoding> = {}): Encoding => ({
    ...rawPixels('R', 'G'),
    space,
    sets: [{ x: 'R', y: 'G', z: 'B', length: null, covers: { from: 0, to: 1, unit: 'seconds' } }],
    axes: { x: 'right', y: 'up' },
    ...part,
  });
  const stored = (v: readonly number[], fps: number | null = 24) => ({
    ...SIZE,
    fps,
    beautyAlpha: null,
    planes: new Map(['R', 'G', 'B'].map((name, k) => [name, new Float32Array(COUNT).fill(v[k])])),
  });
  const seenAt = (t: number, p: readonly number[]) => {
    const { worldToNDC: m } = cameraMatrices(t, SIZE);
    const [u, v, , w] = [0, 1, 2, 3].map((c) => p[0] * m[c] + p[1] * m[4 + c] + p[2] * m[8 + c] + m[12 + c]);
    return [(SIZE.width * u) / w, (SIZE.height * v) / w] as const;
  };

  test('along the scene: points are seen where the next camera sees them', () => {
    const perSecond = drift.map((v) => v * 24);
    const velocity = decodeSceneVelocity(stored(perSecond), raw('world'));
    const { field } = deriveMotion(input({ kind: 'depth', depth: now.depth, measured: 'alongView' }, velocity));
    for (const i of [5000, 20000, 31000]) {
      const p = [0, 1, 2].map((k) => now.position[i * 3 + k]);
      for (const [way, vectors] of [
        [1, field.toNext],
        [-1, field.toPrevious],
      ] as const) {
        const [x, y] = seenAt(
          T + way,
          p.map((v, k) => v + way * drift[k]),
        );
        expect(Math.hypot(vectors[i * 2] - (x - (i % 240) - 0.5), vectors[i * 2 + 1] - (y - Math.floor(i / 240) - 0.5))).toBeLessThan(0.01);
      }
    }
  });

  test('along the camera: its own motion is part of it, axes are turned as they are said', () => {
    const c = Math.cos(eyeAt(T).pan),
      s = Math.sin(eyeAt(T).pan);
    const towards = { x: 'left', y: 'down', z: 'towards' } as const;
    const fields = [
      decodeSceneVelocity(
        stored(drift),
        raw('camera', { sets: [{ ...raw('camera').sets[0], covers: { from: 0, to: 1, unit: 'frames' } }] }),
      ),
      decodeSceneVelocity(
        stored(drift.map((v) => -v * 2)),
        raw('camera', { axes: towards, sets: [{ ...raw('camera').sets[0], covers: { from: 0, to: 2, unit: 'frames' } }] }),
      ),
    ].map((velocity) => deriveMotion(input({ kind: 'depth', depth: now.depth, measured: 'alongView' }, velocity)).field);
    const i = 20000,
      p = [0, 1, 2].map((k) => now.position[i * 3 + k]);
    // right = (c, 0, s), up = y, away = (s, 0, -c)
    const moved = [p[0] + drift[0] * c + drift[2] * s, p[1] + drift[1], p[2] + drift[0] * s - drift[2] * c];
    const [x, y] = seenAt(T, moved);
    for (const { toNext } of fields)
      expect(Math.hypot(toNext[i * 2] - (x - (i % 240) - 0.5), toNext[i * 2 + 1] - (y - Math.floor(i / 240) - 0.5))).toBeLessThan(0.01);
  });

  test('what a velocity pass can not mean is said', () => {
    expect(() => decodeSceneVelocity(stored(drift, null), raw('world'))).toThrow('frame rate');
    expect(() => decodeSceneVelocity(stored(drift), raw('world', { sets: [{ ...raw('world').sets[0], z: null }] }))).toThrow('x, y and z');
    expect(() => decodeSceneVelocity(stored(drift), { ...raw('world'), space: 'screen' })).toThrow('needs no camera');
    expect(() => decodeSceneVelocity(stored(drift), raw('world', { premultiplied: true }))).toThrow('no alpha');
    const marked = stored([7, 7, 7]);
    marked.planes.get('R')?.fill(0.5, 0, 10);
    const { valid } = decodeSceneVelocity(marked, raw('world', { noData: 7 }));
    expect(valid.reduce((n, v) => n + v, 0)).toBe(10);
  });
});

test('nothing is no surface, and the sky only turns with the camera', () => {
  const depth = now.depth.slice();
  depth[100] = 0;
  depth[101] = NaN;
  depth[102] = Infinity;
  const still = input({ kind: 'depth', depth, measured: 'alongView' });
  const { field } = deriveMotion(still);
  expect([...field.valid.slice(100, 103)]).toEqual([0, 0, 1]);
  // A camera that only walks leaves the sky alone.
  const walked = deriveMotion({
    ...still,
    now: cameraFromMatrices(facing(0), null, SIZE),
    next: cameraFromMatrices(facing(-0.4), null, SIZE),
  });
  expect(Math.abs(walked.field.toNext[204])).toBeLessThan(1e-3);
  expect(() => deriveMotion({ ...still, coverage: new Float32Array(3) })).toThrow('size of the picture');
});
