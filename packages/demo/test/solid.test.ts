import { DREDGER_SCENE } from '../src/dredger';
import { emptyMesh, addBlock, addSheet, addTurned, ballProfile } from '../src/solid/mesh';
import { chain, HERE, inverse, moved, placed, turnedAbout, type Vector } from '../src/solid/placement';
import { exposeSolid, NOTHING_FAR, renderSolid, type SolidScene } from '../src/solid/render-solid';
import { solidScenes } from '../src/solid/solid-scenes';
import { paintTexture } from '../src/card';

const SIZE = { width: 96, height: 54 };
const PLAIN = { id: 3, texture: paintTexture(0, 0, 40, 40, () => [0.5, 0.5, 0.5, 1], 0.5), shine: 0, gloss: 1 };

test('a placement and its inverse cancel out, and a quarter turn goes from one axis to the next', () => {
  const place = chain(moved(1, -2, 3), turnedAbout('y', 0.7), turnedAbout('x', -0.3), moved(0, 0.5, 0), turnedAbout('z', 2)),
    point: Vector = [0.3, -0.9, 2.2];
  placed(chain(inverse(place), place), point).forEach((v, k) => expect(v).toBeCloseTo(point[k], 12));
  placed(turnedAbout('x', Math.PI / 2), [0, 1, 0]).forEach((v, k) => expect(v).toBeCloseTo([0, 0, 1][k], 12));
  placed(turnedAbout('y', Math.PI / 2), [0, 0, 1]).forEach((v, k) => expect(v).toBeCloseTo([1, 0, 0][k], 12));
  placed(turnedAbout('z', Math.PI / 2), [1, 0, 0]).forEach((v, k) => expect(v).toBeCloseTo([0, 1, 0][k], 12));
});

/** A ball of radius 0.8 at distance 5, that goes 0.1 across and 0.3 away a frame and turns. */
const BALL: SolidScene = {
  name: 'ball',
  stresses: '',
  focalPx: 640,
  camera: () => HERE,
  build: (mesh, t) =>
    addTurned(mesh, PLAIN, chain(moved(0.1 * t, 0, 5 + 0.3 * t), turnedAbout('y', 0.2 * t)), ballProfile(0.8, 48), 96, 20),
};

test('depth and motion are those of the ball that was drawn, by the rules of perspective', () => {
  const { depth, motion, ids } = renderSolid(BALL, 0, SIZE, 1),
    f = SIZE.width;
  let checked = 0;
  for (let i = 0; i < ids.length; i++) {
    const dx = ((i % SIZE.width) + 0.5 - SIZE.width / 2) / f,
      dy = (Math.floor(i / SIZE.width) + 0.5 - SIZE.height / 2) / f;
    // Where the ray meets the ball about (0, 0, 5).
    const a = dx * dx + dy * dy + 1,
      inside = 25 - a * (25 - 0.64);
    if (inside < 0.3) {
      if (inside < -0.3) expect([ids[i], depth[i]]).toEqual([0, NOTHING_FAR]);
      continue;
    }
    checked++;
    const z = (5 - Math.sqrt(inside)) / a;
    expect(ids[i]).toBe(3);
    expect(Math.abs(depth[i] - z)).toBeLessThan(0.006);
    [1, -1].forEach((way, k) => {
      const c = Math.cos(0.2 * way),
        s = Math.sin(0.2 * way),
        ox = dx * z,
        oz = z - 5;
      const at = [0.1 * way + c * ox + s * oz, dy * z, 5 + 0.3 * way + c * oz - s * ox];
      expect(Math.abs(motion[i * 4 + k * 2] - (f * at[0]) / at[2] + f * dx)).toBeLessThan(0.05);
      expect(Math.abs(motion[i * 4 + k * 2 + 1] - (f * at[1]) / at[2] + f * dy)).toBeLessThan(0.05);
    });
  }
  expect(checked).toBeGreaterThan(150);
});

test('what is nearer hides what is farther, whichever was drawn first, and triangles that meet leave no gap', () => {
  const scene = (order: 1 | -1): SolidScene => ({
    ...BALL,
    build: (mesh) => {
      const parts = [
        () => addSheet(mesh, PLAIN, 7, 5, 40, 30, (a, b) => [8 * a - 4, 6 * b - 3, 8]),
        () => addBlock(mesh, { ...PLAIN, id: 4 }, moved(0, 0, 4), [0.5, 0.5, 0.5], 20),
      ];
      for (const part of order === 1 ? parts : parts.reverse()) part();
    },
  });
  const [a, b] = ([1, -1] as const).map((order) => renderSolid(scene(order), 0, SIZE, 1));
  expect(a.ids).toEqual(b.ids);
  expect(a.rgba.filter((_, k) => k % 4 === 3).every((alpha) => Math.abs(alpha - 1) < 1e-6)).toBe(true);
  // The block's front is at 3.5: 96 px of focal length make 0.5 into 13.7 px.
  const middle = Math.floor(SIZE.height / 2) * SIZE.width + SIZE.width / 2;
  expect([a.ids[middle], a.ids[middle + 13], a.ids[middle + 15]]).toEqual([4, 4, 3]);
  expect(a.depth[middle]).toBeCloseTo(3.5, 4);
});

test('a camera that moves moves everything the other way, and a true exposure is the mean of its moments', () => {
  const still: SolidScene = {
    ...BALL,
    camera: (t) => moved(0.5 * t, 0, 0),
    build: (mesh) => addSheet(mesh, PLAIN, 4, 4, 40, 30, (a, b) => [12 * a - 6, 8 * b - 4, 8]),
  };
  const { motion } = renderSolid(still, 0, SIZE, 1);
  for (let i = 0; i < motion.length; i += 4) {
    expect(motion[i]).toBeCloseTo((-0.5 * 96) / 8, 4);
    expect(motion[i + 2]).toBeCloseTo((0.5 * 96) / 8, 4);
  }
  const half = { opens: 0, closes: 0.5 },
    whole = { opens: 0, closes: 1 },
    late = { opens: 0.5, closes: 1 };
  const [a, b, both] = exposeSolid(BALL, 0, [half, late, whole], SIZE, 8);
  for (let k = 0; k < both.length; k++) expect(both[k]).toBeCloseTo((a[k] + b[k]) / 2, 5);
  expect(a.some((v, k) => Math.abs(v - b[k]) > 0.05)).toBe(true);
});

test('every scene makes the same triangles at every moment, all of its objects are seen, and it moves', () => {
  for (const scene of [...solidScenes(SIZE.width), DREDGER_SCENE]) {
    const [now, later] = [0, 0.7].map((t) => {
      const mesh = emptyMesh();
      scene.build(mesh, t);
      return mesh;
    });
    expect({ name: scene.name, corners: later.corners }).toEqual({ name: scene.name, corners: now.corners });
    expect(now.points.every(Number.isFinite)).toBe(true);
    const { ids, motion, rgba } = renderSolid(scene, 0, SIZE, 1);
    for (const id of new Set(now.materials.map((material) => material.id))) expect(ids).toContain(id);
    expect(motion.some((v) => Math.abs(v) > 1.5)).toBe(true);
    expect(rgba.every((v) => Number.isFinite(v) && v >= 0)).toBe(true);
  }
});
