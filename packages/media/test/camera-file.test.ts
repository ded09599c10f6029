import { project, type Camera } from '@ivrex/core';
import {
  AnimationClip,
  AnimationMixer,
  Euler,
  Group,
  InterpolateLinear,
  PerspectiveCamera,
  Quaternion,
  QuaternionKeyframeTrack,
  Vector3,
  VectorKeyframeTrack,
} from 'three';
import { readCameraFile } from '../src';

const SHOT = { width: 960, height: 540, pixelAspect: 1, fps: 24, startFrame: 1001 };
const bytes = (text: string) => new TextEncoder().encode(text);
const POINTS = [new Vector3(0.5, 0.2, -8), new Vector3(-2, 1, -12), new Vector3(1, -0.4, -5)];

function expectSame(camera: Camera | undefined, truth: PerspectiveCamera, px = 1e-3): void {
  truth.updateMatrixWorld();
  for (const p of POINTS) {
    const seen = p.clone().project(truth);
    const [x, y] = (camera && project(camera, [p.x, p.y, p.z])) ?? [NaN, NaN];
    expect(Math.hypot(x - ((seen.x + 1) / 2) * SHOT.width, y - ((1 - seen.y) / 2) * SHOT.height)).toBeLessThan(px);
  }
}

const ROW = { frame: 1001, position: [1, 2, 3], rotation: [10, -20, 30], horizontalView: 50 };

/** three.js names orders the other way round: its axes turn with the camera, ours stand. */
test.each([
  ['xyz', 'ZYX'],
  ['zxy', 'YXZ'],
  ['yzx', 'XZY'],
] as const)('a JSON track: degrees in order %s', async (order, theirs) => {
  const track = await readCameraFile('truck.json', bytes(JSON.stringify({ ivrexCamera: 1, frames: [{ ...ROW, order }] })), SHOT);
  const fovY = (2 * Math.atan((Math.tan((25 * Math.PI) / 180) * SHOT.height) / SHOT.width) * 180) / Math.PI;
  const truth = new PerspectiveCamera(fovY, SHOT.width / SHOT.height, 0.1, 1000);
  truth.position.set(1, 2, 3);
  const [x, y, z] = ROW.rotation.map((d) => (d * Math.PI) / 180);
  truth.setRotationFromEuler(new Euler(x, y, z, theirs));
  expectSame(track.frames.get(1001), truth);
});

test('a CSV track says the same as JSON, and a focal length the same as an angle', async () => {
  const film = 36,
    focal = film / 2 / Math.tan((25 * Math.PI) / 180);
  const csv = `frame, x, y, z, rx, ry, rz, focalLength, filmWidth\n1001,1,2,3,10,-20,30,${focal},${film}\n1002,1.1,2,3,10,-20,30,${focal},${film}\n`;
  const a = await readCameraFile('truck.csv', bytes(csv), SHOT);
  const b = await readCameraFile('truck.json', bytes(JSON.stringify({ ivrexCamera: 1, frames: [ROW] })), SHOT);
  expect([...a.frames.keys()]).toEqual([1001, 1002]);
  const [mine, other] = [a, b].map((t) => [...(t.frames.get(1001)?.toScreen ?? [])]);
  mine.forEach((v, k) => expect(v).toBeCloseTo(other[k], 6));
});

test.each([
  ['track.json', '{"ivrexCamera":1,"frames":[', 'this is not JSON'],
  ['track.json', JSON.stringify({ ivrexCamera: 1, frames: [{ ...ROW, rotation: undefined }] }), 'rotation'],
  ['track.json', JSON.stringify({ ivrexCamera: 1, frames: [] }), 'frames'],
  ['track.csv', 'frame,x,y,z,rx,ry,rz,horizontalView\n1001,0,0,zero,0,0,0,50\n', 'line 2: z'],
  ['track.csv', 'frame,x,y,z,rx,ry,rz\n1001,0,0,0,0,0,0\n', 'horizontalView'],
  ['track.csv', '', 'no camera in this file'],
  ['track.fbx', 'x', '.json, .csv, .gltf or .glb'],
  ['track.gltf', '{"asset":{"version":"2.0"}}', 'no perspective camera'],
  ['track.gltf', 'nothing', 'this is not glTF 2.0'],
  ['track.glb', 'nothing at all', 'this is not glTF 2.0'],
])('%s with %j is refused in a sentence', async (name, text, says) => {
  await expect(readCameraFile(name, bytes(text), SHOT)).rejects.toThrow(says);
});

/** A glTF whose camera hangs in a node that turns; both are animated. Written by hand, evaluated by three.js. */
function gltf(interpolation: 'LINEAR' | 'CUBICSPLINE') {
  const times = [0, 0.25, 0.5];
  const places = [0, 1, 2, 0.6, 1.2, 2.4, 1.5, 1.1, 2.1];
  const turns = [0, 0.2, 0.5].flatMap((a) => {
    const q = new Quaternion().setFromEuler(new Euler(0.1 * a, -a, 0.05));
    return [q.x, q.y, q.z, q.w];
  });
  const cubic = interpolation === 'CUBICSPLINE';
  const tangents = [0, 0.4, -0.2, 0.5, 0, 0.3, -0.6, 0.2, 0];
  const placeKeys = cubic
    ? [0, 1, 2].flatMap((k) => [
        ...tangents.slice(k * 3, k * 3 + 3),
        ...places.slice(k * 3, k * 3 + 3),
        ...tangents.slice(k * 3, k * 3 + 3),
      ])
    : places;
  const data = Float32Array.from([...times, ...placeKeys, ...turns]);
  const view = (count: number, from: number, type: string) => ({
    bufferView: 0,
    byteOffset: from * 4,
    componentType: 5126,
    count,
    type,
    ...(type === 'SCALAR' ? { min: [0], max: [0.5] } : {}),
  });
  const json = {
    asset: { version: '2.0' },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [
      { children: [1], rotation: [0, 0, 0, 1] },
      { camera: 0, translation: [0, 0, 0] },
    ],
    cameras: [{ type: 'perspective', perspective: { yfov: 0.6, znear: 0.1, aspectRatio: 2.39 } }],
    buffers: [{ byteLength: data.byteLength, uri: `data:application/octet-stream;base64,${Buffer.from(data.buffer).toString('base64')}` }],
    bufferViews: [{ buffer: 0, byteLength: data.byteLength }],
    accessors: [view(3, 0, 'SCALAR'), view(placeKeys.length / 3, 3, 'VEC3'), view(3, 3 + placeKeys.length, 'VEC4')],
    animations: [
      {
        samplers: [
          { input: 0, output: 1, interpolation },
          { input: 0, output: 2, interpolation: 'LINEAR' },
        ],
        channels: [
          { sampler: 0, target: { node: 1, path: 'translation' } },
          { sampler: 1, target: { node: 0, path: 'rotation' } },
        ],
      },
    ],
  };
  return { json, times, places, turns, placeKeys };
}

test('a glTF camera in a turning node, linear keys', async () => {
  const { json, times, places, turns } = gltf('LINEAR');
  const track = await readCameraFile('truck.gltf', bytes(JSON.stringify(json)), SHOT);
  expect([...track.frames.keys()]).toEqual(Array.from({ length: 13 }, (_, k) => 1001 + k));
  const arm = new Group(),
    truth = new PerspectiveCamera((0.6 * 180) / Math.PI, SHOT.width / SHOT.height, 0.1, 1000);
  arm.add(truth);
  const mixer = new AnimationMixer(arm);
  truth.name = 'camera';
  const tracks = [
    new VectorKeyframeTrack('camera.position', times, places, InterpolateLinear),
    new QuaternionKeyframeTrack('.quaternion', times, turns),
  ];
  mixer.clipAction(new AnimationClip('move', 0.5, tracks)).play();
  for (const frame of [1001, 1004, 1007, 1010]) {
    mixer.setTime((frame - 1001) / 24);
    arm.updateMatrixWorld(true);
    expectSame(track.frames.get(frame), truth, 0.01);
  }
});

test('cubic keys follow their tangents', async () => {
  const { json, placeKeys } = gltf('CUBICSPLINE');
  const track = await readCameraFile('truck.gltf', bytes(JSON.stringify(json)), SHOT);
  // A quarter of a second is six frames; frame 1004 lies in the middle of the first two keys. Hermite at one half, by hand.
  const h = (k: number) => {
    const [out, a, into, b] = [placeKeys[6 + k], placeKeys[3 + k], placeKeys[9 + k], placeKeys[12 + k]];
    return (a + b) / 2 + (0.25 * (out - into)) / 8;
  };
  const arm = new Quaternion().setFromEuler(new Euler(0, 0, 0.05)).slerp(new Quaternion().setFromEuler(new Euler(0.02, -0.2, 0.05)), 0.5);
  const place = new Vector3(h(0), h(1), h(2)).applyQuaternion(arm);
  const eye = track.frames.get(1004)?.eye ?? [NaN, NaN, NaN];
  expect(new Vector3(...eye).distanceTo(place)).toBeLessThan(1e-5);
});

test('seconds need a rate, and numbers in another file are asked for', async () => {
  const { json } = gltf('LINEAR');
  await expect(readCameraFile('truck.gltf', bytes(JSON.stringify(json)), { ...SHOT, fps: null })).rejects.toThrow('frame rate');
  const outside = { ...json, buffers: [{ byteLength: 4, uri: 'truck.bin' }] };
  await expect(readCameraFile('truck.gltf', bytes(JSON.stringify(outside)), SHOT)).rejects.toThrow('truck.bin');
});
