import { Euler, Matrix4, PerspectiveCamera, Quaternion, Vector3 as ThreeVector } from 'three';
import { cameraFromMatrices, cameraFromPose, directionsOf, project, type CameraPose, type Vector3 } from '../src';

/** Held against the camera of three.js. */
const SIZE = { width: 1920, height: 1080, pixelAspect: 1 };
const POINTS: readonly Vector3[] = [
  [0, 0, -10],
  [2, 1.5, -7],
  [-3, -2, -25],
  [0.4, 0.1, -4],
];

function other(position: Vector3, turn: Euler, fovY: number): PerspectiveCamera {
  const camera = new PerspectiveCamera(fovY, SIZE.width / SIZE.height, 0.1, 1000);
  camera.position.set(...position);
  camera.setRotationFromEuler(turn);
  camera.updateMatrixWorld();
  return camera;
}

function seenBy(camera: PerspectiveCamera, point: Vector3): readonly [number, number] {
  const { x, y } = new ThreeVector(...point).project(camera);
  return [((x + 1) / 2) * SIZE.width, ((1 - y) / 2) * SIZE.height];
}

function expectSame(camera: ReturnType<typeof cameraFromPose>, truth: PerspectiveCamera): void {
  for (const point of POINTS) {
    const [x, y] = project(camera, point) ?? [NaN, NaN],
      [tx, ty] = seenBy(truth, point);
    expect(Math.hypot(x - tx, y - ty)).toBeLessThan(1e-6 * Math.max(1, Math.hypot(tx, ty)));
  }
}

const PLACES: readonly (readonly [Vector3, Euler, number])[] = [
  [[0, 0, 0], new Euler(0, 0, 0), 40],
  [[1, 2, 3], new Euler(0.1, -0.3, 0.05), 25],
  [[-4, 0.5, 6], new Euler(-0.2, 0.4, -0.6, 'YXZ'), 70],
];

test.each(PLACES)('a pose at %j sees points where three.js does', (position, turn, fovY) => {
  const truth = other(position, turn, fovY);
  const q = new Quaternion().setFromEuler(turn);
  const halfHeight = Math.tan((fovY * Math.PI) / 360);
  const pose: CameraPose = {
    position,
    rotation: [q.x, q.y, q.z, q.w],
    halfWidth: (halfHeight * SIZE.width) / SIZE.height,
    halfHeight: null,
    shift: [0, 0],
  };
  const camera = cameraFromPose(pose, SIZE);
  expectSame(camera, truth);
  expect(camera.eye?.map((v, k) => Math.abs(v - position[k]) < 1e-9)).toEqual([true, true, true]);
  const [right, up, away] = directionsOf(camera);
  for (const [mine, theirs] of [
    [right, new ThreeVector(1, 0, 0)],
    [up, new ThreeVector(0, 1, 0)],
    [away, new ThreeVector(0, 0, -1)],
  ] as const)
    expect(new ThreeVector(...mine).distanceTo(theirs.applyQuaternion(q))).toBeLessThan(1e-9);
  // A wide pixel sees more across; a shift moves the picture.
  const wide = cameraFromPose({ ...pose, shift: [0.25, -0.1] }, { ...SIZE, pixelAspect: 2 });
  const [x, y] = project(camera, POINTS[1]) ?? [NaN, NaN],
    [wx, wy] = project(wide, POINTS[1]) ?? [NaN, NaN];
  expect(wx - x).toBeCloseTo(0.25 * SIZE.width, 6);
  expect((wy - SIZE.height * 0.4) / (y - SIZE.height / 2)).toBeCloseTo(2, 6);
});

/** Matrices as headers hold them: a row point times the matrix. three.js multiplies columns and keeps column after column, which is the same sixteen numbers. */
function matricesOf(camera: PerspectiveCamera) {
  const view = camera.matrixWorldInverse,
    clip = new Matrix4().multiplyMatrices(camera.projectionMatrix, view);
  // From -1 to 1 with y up to 0 to 1 with y down.
  const toNdc = new Matrix4().set(0.5, 0, 0, 0.5, 0, -0.5, 0, 0.5, 0, 0, 1, 0, 0, 0, 0, 1);
  const flipped = new Matrix4().makeScale(1, 1, -1);
  return {
    clip: clip.toArray(),
    ndc: new Matrix4().multiplyMatrices(toNdc, clip).toArray(),
    lookingBack: view.toArray(),
    lookingAhead: new Matrix4().multiplyMatrices(flipped, view).toArray(),
  };
}

test.each(PLACES)('header matrices at %j: the standard form, and what else is written', (position, turn, fovY) => {
  const truth = other(position, turn, fovY);
  const { clip, ndc, lookingAhead, lookingBack } = matricesOf(truth);
  expectSame(cameraFromMatrices(ndc, lookingAhead, SIZE), truth);
  expectSame(cameraFromMatrices(ndc, null, SIZE), truth);
  // From -1 to 1, y up, camera looking along -z: told by where the view axis comes to lie.
  expectSame(cameraFromMatrices(clip, lookingBack, SIZE), truth);
  expectSame(cameraFromMatrices(clip, lookingAhead, SIZE), truth);
});

test('a camera that sees nothing is refused in a sentence', () => {
  expect(() => cameraFromMatrices([1, 2, 3], null, SIZE)).toThrow('16 finite numbers');
  expect(() => cameraFromMatrices(new Array<number>(16).fill(0), null, SIZE)).toThrow('sees no depth');
  const { ndc } = matricesOf(other([0, 0, 0], new Euler(), 40));
  expect(() => cameraFromMatrices(ndc, new Array<number>(16).fill(0), SIZE)).toThrow('can not be inverted');
  const pose: CameraPose = { position: [0, 0, 0], rotation: [0, 0, 0, 1], halfWidth: 0, halfHeight: null, shift: [0, 0] };
  expect(() => cameraFromPose(pose, SIZE)).toThrow('angle of view');
  expect(() => cameraFromPose({ ...pose, halfWidth: 1, rotation: [0, 0, 0, 0] }, SIZE)).toThrow('quaternion');
  expect(project(cameraFromPose({ ...pose, halfWidth: 1 }, SIZE), [0, 0, 5])).toBeNull();
});
