import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { encodeExr, prepareBlur, renderRows, type BlurFramePasses, type Encoding, type Plane, type SampleType } from '@ivrex/core';
import { loadFramePasses, loadNodeHost, type FrameFiles } from '@ivrex/media';
import { FIDELITY_SHUTTERS, shootCards } from '../src/fidelity/frames';
import { againstTruth, frameNow, sceneFrames } from '../src/fidelity/measure-fidelity';
import { fidelityScenes } from '../src/fidelity/scenes';

/**
 * Prints what random combinations of scene, depth, alpha, container and channels cost against plain float OpenEXR: a list of { name, db, plain }.
 * Files are written as OpenEXR and turned into the others by the image tool.
 */
const SEED = 20261130,
  COMBINATIONS = 30;
const size = { width: 256, height: 144 },
  count = size.width * size.height,
  shutter = FIDELITY_SHUTTERS[0];
const host = await loadNodeHost('packages/kernels/build/kernels.wasm');
const folder = mkdtempSync(path.join(tmpdir(), 'ivrex-ways-'));

/** Mulberry32. */
let state = SEED;
function random(): number {
  state = (state + 0x6d2b79f5) | 0;
  let t = Math.imul(state ^ (state >>> 15), 1 | state);
  t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
  return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
}
const one = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)];

interface DepthWay {
  readonly name: string;
  readonly type?: SampleType;
  readonly of: (z: number, low: number, high: number) => number;
  readonly nothing: number;
  readonly filter?: boolean;
}
const relative = (z: number, low: number, high: number) => (z - 0.7 * low) / (1.2 * high - 0.7 * low);
const DEPTHS: readonly DepthWay[] = [
  { name: 'distances, 0', of: (z) => z, nothing: 0 },
  { name: 'distances, 1e6', of: (z) => z, nothing: 1e6 },
  { name: 'distances, 1e10', of: (z) => z * 100, nothing: 1e10 },
  { name: 'distances, infinity', of: (z) => z, nothing: Infinity },
  { name: 'distances, NaN', of: (z) => z, nothing: NaN },
  { name: 'halves, 65504', of: (z) => z, nothing: 65504, type: 'half' },
  { name: 'negative, -1e6', of: (z) => -z, nothing: -1e6 },
  { name: 'negative, 0', of: (z) => -z, nothing: 0 },
  { name: 'one over, 0', of: (z) => 1 / z, nothing: 0 },
  { name: '0 to 1, near 0', of: relative, nothing: 1 },
  { name: '0 to 1, near 1', of: (...z) => 1 - relative(...z), nothing: 0 },
  { name: 'filtered, 1e4', of: (z) => z, nothing: 1e4, filter: true },
];
const ALPHAS = ['OpenEXR', 'OpenEXR PIZ halves', 'TIFF associated', 'TIFF unassociated', 'PNG 16 bits'] as const;
const CHANNELS = ['Z', 'z', 'R', 'RGBA', 'layer depth.Z', 'TIFF Y'] as const;
const IDS = ['float', 'uint', 'half', 'RGBA', 'PNG 8 bits', 'none'] as const;

const ENCODING: Encoding = {
  ivrexEncoding: 1,
  name: '',
  note: '',
  space: 'screen',
  transfer: { kind: 'none' },
  premultiplied: false,
  alpha: null,
  sets: [
    { x: 'R', y: 'G', length: null, covers: { from: 0, to: 1, unit: 'frames' } },
    { x: 'B', y: 'A', length: null, covers: { from: 0, to: -1, unit: 'frames' } },
  ],
  zero: 0,
  fullScale: { stored: 1, equals: 1, unit: 'px' },
  axes: { x: 'right', y: 'down' },
  pixelAspect: 1,
  noData: null,
};

let made = 0;
function writeExr(
  planes: Readonly<Record<string, Float32Array | Uint32Array>>,
  type: SampleType = 'float',
  compression: 'zip' | 'piz' = 'zip',
): string {
  const file = path.join(folder, `${made++}.exr`),
    window = { xMin: 0, yMin: 0, xMax: size.width - 1, yMax: size.height - 1 };
  const list: Plane[] = Object.entries(planes).map(([name, data]) => ({ name, type: data instanceof Uint32Array ? 'uint' : type, data }));
  writeFileSync(file, encodeExr({ displayWindow: window, dataWindow: window, planes: list }, { compression, attributes: new Map() }, host));
  return file;
}

function byTool(file: string, extension: string, args: readonly string[]): string {
  const out = file.replace(/exr$/, extension);
  execFileSync('oiiotool', [file, ...args, '-o', out]);
  return out;
}

const channel = (rgba: Float32Array, c: number) => Float32Array.from({ length: count }, (_, i) => rgba[i * 4 + c]);

function beautyFile(rgba: Float32Array, alpha: (typeof ALPHAS)[number]): string {
  const planes = { R: channel(rgba, 0), G: channel(rgba, 1), B: channel(rgba, 2), A: channel(rgba, 3) };
  switch (alpha) {
    case 'OpenEXR':
      return writeExr(planes);
    case 'OpenEXR PIZ halves':
      return writeExr(planes, 'half', 'piz');
    case 'TIFF associated':
      return byTool(writeExr(planes), 'tif', ['-d', 'float']);
    case 'TIFF unassociated':
      return byTool(writeExr(planes), 'tif', [
        '-d',
        'float',
        '--attrib',
        'oiio:UnassociatedAlpha',
        '1',
        '--attrib',
        'tiff:half',
        '0',
        '--unpremult',
      ]);
    case 'PNG 16 bits':
      return byTool(writeExr(planes), 'png', [
        '--unpremult',
        '--colorconvert',
        'linear',
        'sRGB',
        '-d',
        'uint16',
        '--attrib',
        'oiio:UnassociatedAlpha',
        '1',
      ]);
  }
}

function depthFile(
  depth: Float32Array,
  way: DepthWay,
  range: readonly [number, number],
  channels: Choice['channels'],
): { file: string; layer: string } {
  const plain = Float32Array.from(depth, (z) => (z === Infinity ? way.nothing : way.of(z, ...range)));
  const data = way.filter ? mean3(plain) : plain;
  const { type = 'float' } = way,
    blank = new Float32Array(count);
  switch (channels) {
    case 'Z':
    case 'z':
    case 'R':
      return { file: writeExr({ [channels]: data }, type), layer: '' };
    case 'RGBA':
      return {
        file: writeExr({ R: data, G: data, B: data, A: Float32Array.from(depth, (z) => (z === Infinity ? 0 : 1)) }, type),
        layer: '',
      };
    case 'layer depth.Z':
      return { file: writeExr({ R: blank, G: blank, B: blank, 'depth.Z': data }, type), layer: 'depth' };
    case 'positions': {
      // Of a camera that is turned about its y axis and stands elsewhere; nothing is 0, 0, 0.
      const [c, s] = [Math.cos(0.7), Math.sin(0.7)];
      const axis = (of: (x: number, y: number, z: number) => number) =>
        depth.map((z, i) => {
          const x = (z * ((i % size.width) + 0.5 - size.width / 2)) / size.width,
            y = (z * (Math.floor(i / size.width) + 0.5 - size.height / 2)) / size.width;
          return z === Infinity ? 0 : of(c * x + s * z, -y, c * z - s * x);
        });
      return { file: writeExr({ 'P.X': axis((x) => x + 40), 'P.Y': axis((_, y) => y - 7), 'P.Z': axis((_x, _y, z) => z) }), layer: 'P' };
    }
    case 'TIFF Y':
      return { file: byTool(writeExr({ Y: data }, type), 'tif', ['-d', 'float']), layer: '' };
  }
}

function mean3(values: Float32Array): Float32Array {
  return values.map((_, i) => {
    const x = i % size.width,
      y = (i - x) / size.width;
    let sum = 0,
      n = 0;
    for (let v = Math.max(0, y - 1); v <= Math.min(size.height - 1, y + 1); v++)
      for (let u = Math.max(0, x - 1); u <= Math.min(size.width - 1, x + 1); u++, n++) sum += values[v * size.width + u];
    return sum / n;
  });
}

function idsFile(ids: ArrayLike<number>, kind: (typeof IDS)[number], alpha: Float32Array): string | null {
  const data = Float32Array.from(ids);
  switch (kind) {
    case 'none':
      return null;
    case 'uint':
      return writeExr({ id: Uint32Array.from(ids) });
    case 'RGBA':
      return writeExr({ R: data, G: data, B: data, A: alpha });
    case 'PNG 8 bits':
      return byTool(writeExr({ Y: data.map((v) => v / 255) }), 'png', ['-d', 'uint8']);
    case 'float':
    case 'half':
      return writeExr({ id: data }, kind);
  }
}

interface Choice {
  readonly depth: DepthWay;
  readonly alpha: (typeof ALPHAS)[number];
  readonly channels: (typeof CHANNELS)[number] | 'positions';
  readonly ids: (typeof IDS)[number];
}

function filesOf(passes: BlurFramePasses, choice: Choice, range: readonly [number, number]): FrameFiles {
  const { motion } = passes,
    at = (v: Float32Array, c: number) => Float32Array.from({ length: count }, (_, i) => v[i * 2 + c]);
  const vectors = { R: at(motion.toNext, 0), G: at(motion.toNext, 1), B: at(motion.toPrevious, 0), A: at(motion.toPrevious, 1) };
  const ids = passes.ids && idsFile(passes.ids, choice.ids, channel(passes.rgba, 3));
  return {
    beauty: { file: beautyFile(passes.rgba, choice.alpha), part: 0, layer: '' },
    motion: { file: writeExr(vectors), part: 0, layer: '' },
    depth: passes.depth && { ...depthFile(passes.depth, choice.depth, range, choice.channels), part: 0 },
    ids: ids === null ? null : { file: ids, part: 0, layer: '' },
  };
}

function dim(rgba: Float32Array): void {
  for (let i = 0; i < rgba.length; i++) if (i % 4 !== 3) rgba[i] *= 0.35;
}

const PLAIN: Choice = { depth: DEPTHS[0], alpha: 'OpenEXR', channels: 'Z', ids: 'float' };
const scenes = fidelityScenes(size.width)
  .filter(({ name }) => ['spinner', 'parallax', 'crossing', 'over-still', 'sparks'].includes(name))
  .map((scene) => {
    const shoot = shootCards(scene, size, 1),
      frames = sceneFrames(shoot, [-1, 0, 1]);
    const [truth] = shoot.expose([shutter]);
    // Files of whole numbers hold no light above 1.
    for (const rgba of [truth, ...[...frames.frames.values()].map(({ rgba }) => rgba)]) dim(rgba);
    const there = [...(frameNow(frames).depth ?? [])].filter((z) => z < Infinity);
    return {
      name: scene.name,
      frames,
      truth,
      range: [Math.min(...there), Math.max(...there)] as const,
    };
  });

async function measure({ frames, truth, range }: (typeof scenes)[number], choice: Choice): Promise<number> {
  const files = [...frames.frames.values()].map((f) => filesOf(f, choice, range));
  const passes = await loadFramePasses({ ...files[1], previous: files[0], next: files[2], encoding: ENCODING, fps: null }, host);
  const plan = prepareBlur({ ...passes, path: 'auto', reachFrames: 1 }),
    out = new Float32Array(count * 4),
    session = host.kernels.openSlices(plan.layers);
  renderRows(plan, session, { shutter: { ...shutter, strength: 1 }, quality: 'final', samples: 'auto' }, 0, size.height, out);
  session.close();
  return againstTruth(out, truth, frames).maskedPsnr ?? 0;
}

const plain = new Map<string, number>();
const rows: { name: string; db: number; plain: number | undefined }[] = [];
async function hold(scene: (typeof scenes)[number], choice: Choice): Promise<void> {
  // What ids are worth is another question: the plain files have none either, then.
  const key = `${scene.name}/${choice.ids === 'none'}`;
  if (!plain.has(key)) plain.set(key, await measure(scene, choice.ids === 'none' ? { ...PLAIN, ids: 'none' } : PLAIN));
  rows.push({
    name: [scene.name, choice.depth.name, choice.alpha, choice.channels, `ids ${choice.ids}`].join(' / '),
    db: await measure(scene, choice),
    plain: plain.get(key),
  });
}
for (let n = 0; n < COMBINATIONS; n++) {
  const scene = one(scenes);
  await hold(scene, { depth: one(DEPTHS), alpha: one(ALPHAS), channels: one(CHANNELS), ids: one(IDS) });
}
for (const scene of scenes) await hold(scene, { ...PLAIN, channels: 'positions' });
rmSync(folder, { recursive: true, force: true });
process.stdout.write(JSON.stringify(rows));
