import { WebIO, type Animation, type AnimationSampler, type Document, type GLTF, type Node } from '@gltf-transform/core';
import { cameraFromPose, IvrexError, type Camera, type CameraTrack } from '@ivrex/core';
import type { CameraContext } from './camera-context';

/**
 * The first perspective camera of a glTF 2.0 file with its animation, one camera a frame. The vertical angle of view counts; across, the
 * picture's own shape does. Frames beyond the animation are not part of the track. @throws IvrexError damaged, badSetting, needsFrameRate
 */
export async function readGltfCamera(name: string, bytes: Uint8Array, context: CameraContext): Promise<CameraTrack> {
  const document = await parsed(name, bytes);
  const nodes = document.getRoot().listNodes();
  const node = nodes.find((n) => n.getCamera()?.getType() === 'perspective');
  const camera = node?.getCamera() ?? null;
  if (node === undefined || camera === null)
    throw new IvrexError('badSetting', `there is no perspective camera among the ${nodes.length} nodes of this file`, name);
  const channels = document
    .getRoot()
    .listAnimations()
    .flatMap((animation) => channelsOf(animation));
  const last = Math.max(0, ...channels.map((c) => c.times[c.times.length - 1]));
  if (last > 0 && context.fps === null)
    throw new IvrexError(
      'needsFrameRate',
      'glTF counts in seconds, so the frame rate must be known: set it in step Passes, or give --fps',
      name,
    );
  const fps = context.fps ?? 1;
  const halfHeight = Math.tan(camera.getYFov() / 2),
    halfWidth = (halfHeight * context.width * context.pixelAspect) / context.height;
  const frames = new Map<number, Camera>();
  // A last key that falls a rounding short of its frame still is its frame.
  for (let k = 0; k <= Math.floor(last * fps + 1e-3); k++) {
    for (const channel of channels) pose(channel, k / fps);
    const rotation = node.getWorldRotation();
    frames.set(
      context.startFrame + k,
      cameraFromPose({ position: node.getWorldTranslation(), rotation, halfWidth, halfHeight, shift: [0, 0] }, context),
    );
  }
  return { name, frames };
}

async function parsed(name: string, bytes: Uint8Array): Promise<Document> {
  const io = new WebIO();
  try {
    if (/\.glb$/i.test(name)) return await io.readBinary(bytes);
    const json = JSON.parse(new TextDecoder().decode(bytes)) as GLTF.IGLTF;
    const outside = [...(json.buffers ?? [])].find((b) => b.uri !== undefined && !b.uri.startsWith('data:'));
    if (outside !== undefined)
      throw new IvrexError(
        'unsupported',
        `the numbers are in another file, ${outside.uri}; save it as .glb, or with embedded buffers`,
        name,
      );
    // Pictures have no part in a camera.
    return await io.readJSON({ json: { ...json, images: undefined, textures: undefined, materials: undefined }, resources: {} });
  } catch (error) {
    if (error instanceof IvrexError) throw error;
    throw new IvrexError('damaged', `this is not glTF 2.0: ${error instanceof Error ? error.message : String(error)}`, name);
  }
}

type Path = 'translation' | 'rotation' | 'scale';
interface Channel {
  readonly node: Node;
  readonly path: Path;
  readonly times: readonly number[];
  readonly sampler: AnimationSampler;
}

function channelsOf(animation: Animation): Channel[] {
  return animation.listChannels().flatMap((channel) => {
    const node = channel.getTargetNode(),
      path = channel.getTargetPath(),
      sampler = channel.getSampler(),
      times = [...(sampler?.getInput()?.getArray() ?? [])];
    if (node === null || sampler === null || times.length === 0) return [];
    return path === 'translation' || path === 'rotation' || path === 'scale' ? [{ node, path, times, sampler }] : [];
  });
}

function pose({ node, path, times, sampler }: Channel, time: number): void {
  const value = valueAt(times, sampler, path, time);
  if (path === 'translation') node.setTranslation([value[0], value[1], value[2]]);
  else if (path === 'scale') node.setScale([value[0], value[1], value[2]]);
  else {
    const n = Math.hypot(...value);
    node.setRotation([value[0] / n, value[1] / n, value[2] / n, value[3] / n]);
  }
}

/** glTF 2.0, appendix C: step, linear (rotations on the sphere), cubic Hermite. Before the first and after the last key it stands still. */
function valueAt(times: readonly number[], sampler: AnimationSampler, path: Path, time: number): number[] {
  const output = sampler.getOutput(),
    cubic = sampler.getInterpolation() === 'CUBICSPLINE';
  const element = (k: number) => output?.getElement(k, []) ?? [];
  const key = (k: number) => element(cubic ? k * 3 + 1 : k);
  const k = times.findIndex((t) => t > time) - 1;
  if (k === -2) return key(times.length - 1);
  if (k < 0) return key(0);
  const span = times[k + 1] - times[k],
    u = (time - times[k]) / span;
  if (sampler.getInterpolation() === 'STEP') return key(k);
  const a = key(k),
    b = key(k + 1);
  if (!cubic) return path === 'rotation' ? onSphere(a, b, u) : a.map((v, i) => v + (b[i] - v) * u);
  const out = element(k * 3 + 2),
    into = element((k + 1) * 3);
  const u2 = u * u,
    u3 = u2 * u;
  return a.map(
    (v, i) => (2 * u3 - 3 * u2 + 1) * v + span * (u3 - 2 * u2 + u) * out[i] + (3 * u2 - 2 * u3) * b[i] + span * (u3 - u2) * into[i],
  );
}

/** The shorter way round. */
function onSphere(a: readonly number[], b: readonly number[], u: number): number[] {
  const dot = a.reduce((sum, v, i) => sum + v * b[i], 0),
    sign = dot < 0 ? -1 : 1,
    angle = Math.acos(Math.min(1, Math.abs(dot)));
  if (angle < 1e-6) return a.map((v, i) => v + (sign * b[i] - v) * u);
  const p = Math.sin((1 - u) * angle) / Math.sin(angle),
    q = (sign * Math.sin(u * angle)) / Math.sin(angle);
  return a.map((v, i) => p * v + q * b[i]);
}
