import path from 'node:path';
import { cryptomatteId, encodeExr, linearToSrgb, windowOfSize, type Attribute, type Image, type Plane } from '@ivrex/core';
import { saveJpeg, savePng16, saveTiff8, writeFileAtomic, type NodeHost } from '@ivrex/media';
import { hash } from './noise';
import { renderNoisy, renderSharp, type DemoSize, type SharpPasses } from './render-cards';
import { makeWheels, paintRoom } from './wheels';

/**
 * TC_020 arrives as such shots do: one file a pass, in four formats, with a gap, a frame that was cut off on its way, and motion that is
 * numbered one frame late, went through a display curve, and clips on its two fastest frames.
 */
export const WHEEL_ROOM = {
  gap: 1013,
  cutOff: 1019,
  /** Added to a frame's number to get its motion file's. */
  motionOffset: 1,
  /** Units of artwork (pixels at 960 x 540) that full scale of the motion pass means: a little too few for frames 1010 and 1020. */
  motionRange: 32,
  /** The display curve that was baked into the motion pass. */
  motionCurve: 2.2,
  /** Frames that were also rendered with blur, with grain, under a shutter that no file says. */
  grainyFrames: [1008, 1022],
  grainyShutter: { opens: -200 / 720, closes: 200 / 720 },
} as const;

export const WHEEL_ROOM_KINDS = ['beauty', 'motion', 'objects', 'depth', 'pendulumMatte', 'escapeMatte', 'plate', 'grainy'] as const;
export type WheelRoomKind = (typeof WHEEL_ROOM_KINDS)[number];
const FILES: Record<WheelRoomKind, readonly [folder: string, name: string, extension: string]> = {
  beauty: ['beauty', 'TC_020_beauty', 'exr'],
  motion: ['motion', 'TC_020_motion', 'png'],
  objects: ['objects', 'TC_020_objects', 'exr'],
  depth: ['depth', 'TC_020_depth', 'exr'],
  pendulumMatte: ['mattes', 'TC_020_pendulum_matte', 'tif'],
  escapeMatte: ['mattes', 'TC_020_escape_wheel_matte', 'tif'],
  plate: ['plate', 'TC_020_plate', 'jpg'],
  grainy: ['reference', 'TC_020_ref', 'exr'],
};

/** Below the production's folder; null where the shot has no such file. */
export function wheelRoomFile(kind: WheelRoomKind, frame: number): string | null {
  if (kind === 'beauty' && frame === WHEEL_ROOM.gap) return null;
  if (kind === 'grainy' && !WHEEL_ROOM.grainyFrames.some((f) => f === frame)) return null;
  const [folder, name, extension] = FILES[kind];
  const number = frame + (kind === 'motion' ? WHEEL_ROOM.motionOffset : 0);
  return path.join('TC_020', folder, `${name}.${number}.${extension}`);
}

const SHARP_SAMPLES = 12;
let wheels: ReturnType<typeof makeWheels> | null = null;
let room: Float32Array | null = null;

/** The passes of a frame come one after the other: what they share is rendered once. */
let last: { readonly t: number; readonly sharp: SharpPasses; readonly coverage: readonly Float32Array[] } | null = null;

function rendered(t: number, size: DemoSize): { readonly sharp: SharpPasses; readonly coverage: readonly Float32Array[] } {
  wheels ??= makeWheels(size.scale);
  if (last?.t !== t) {
    const coverage = wheels.map(() => new Float32Array(size.width * size.height));
    last = { t, coverage, sharp: renderSharp(wheels, t, size, SHARP_SAMPLES, coverage) };
  }
  return last;
}

/** Writes one file. `t` counts frames from the first. */
export async function makeWheelRoomFile(
  kind: WheelRoomKind,
  frame: number,
  t: number,
  size: DemoSize,
  file: string,
  host: NodeHost,
): Promise<void> {
  const one = { width: size.width, height: size.height, channels: 1 } as const,
    three = { ...one, channels: 3 } as const;
  switch (kind) {
    case 'plate':
      return saveJpeg(file, plate(size, frame), three);
    case 'pendulumMatte':
      return saveTiff8(file, rendered(t, size).coverage[0], one);
    case 'escapeMatte':
      return saveTiff8(file, rendered(t, size).coverage[2], one);
    case 'motion':
      return savePng16(file, storedMotion(rendered(t, size).sharp.motion, WHEEL_ROOM.motionRange * size.scale), three);
    case 'depth':
      return writeFileAtomic(
        file,
        encodeExr(
          imageOf(size, [{ name: 'Z', type: 'float', data: rendered(t, size).sharp.depth }]),
          { compression: 'piz', attributes: RATE },
          host,
        ),
      );
    case 'objects':
      return writeFileAtomic(
        file,
        encodeExr(
          imageOf(size, cryptomattePlanes(rendered(t, size).coverage)),
          { compression: 'zips', attributes: cryptomatteAttributes() },
          host,
        ),
      );
    case 'grainy': {
      const { opens, closes } = WHEEL_ROOM.grainyShutter;
      wheels ??= makeWheels(size.scale);
      const rgba = renderNoisy(wheels, t, opens, closes, size, GRAINY_SAMPLES, frame * 1000);
      return writeFileAtomic(file, pictureBytes(rgba, size, 'zip', 610, host));
    }
    case 'beauty': {
      const bytes = pictureBytes(rendered(t, size).sharp.rgba, size, 'dwaa', 198, host);
      return writeFileAtomic(file, frame === WHEEL_ROOM.cutOff ? bytes.subarray(0, Math.floor(bytes.length * 0.55)) : bytes);
    }
  }
}

const GRAINY_SAMPLES = 20;

function pictureBytes(rgba: Float32Array, size: DemoSize, compression: 'zip' | 'dwaa', seconds: number, host: NodeHost): Uint8Array {
  const planes = ['R', 'G', 'B', 'A'].map((name, c): Plane => ({ name, type: 'half', data: rgba.filter((_, i) => i % 4 === c) }));
  const attributes = new Map([...RATE, ['renderTimeSeconds', { type: 'float', value: seconds }]] as [string, Attribute][]);
  return encodeExr(imageOf(size, planes), { compression, attributes }, host);
}

const RATE: ReadonlyMap<string, Attribute> = new Map<string, Attribute>([
  ['framesPerSecond', { type: 'rational', value: [24, 1] }],
  ['owner', { type: 'string', value: 'The Tidal Clock' }],
  ['comments', { type: 'string', value: 'TC_020 escapement wheel room' }],
]);

function imageOf(size: DemoSize, planes: readonly Plane[]): Image {
  const window = windowOfSize(size.width, size.height);
  return { displayWindow: window, dataWindow: window, planes };
}

/** To the next frame, centred, x right and y up, through a display curve that has no business on data: no motion reads 0.73. */
function storedMotion(motion: Float32Array, rangePx: number): Float32Array {
  const out = new Float32Array((motion.length / 4) * 3);
  const stored = (px: number) => Math.min(1, Math.max(0, 0.5 + px / rangePx / 2)) ** (1 / WHEEL_ROOM.motionCurve);
  for (let i = 0; i < out.length / 3; i++) {
    out[i * 3] = stored(motion[i * 4]);
    out[i * 3 + 1] = stored(-motion[i * 4 + 1]);
    out[i * 3 + 2] = 0;
  }
  return out;
}

const CRYPTOMATTE = 'wheel_objects';

function cryptomatteAttributes(): ReadonlyMap<string, Attribute> {
  const key = `cryptomatte/${cryptomatteId(CRYPTOMATTE).toString(16).padStart(8, '0').slice(0, 7)}`;
  const text = (value: string): Attribute => ({ type: 'string', value });
  const manifest = Object.fromEntries((wheels ?? []).map(({ name }) => [name, cryptomatteId(name).toString(16).padStart(8, '0')]));
  return new Map([
    ...RATE,
    [`${key}/name`, text(CRYPTOMATTE)],
    [`${key}/hash`, text('MurmurHash3_32')],
    [`${key}/conversion`, text('uint32_to_float32')],
    [`${key}/manifest`, text(JSON.stringify(manifest))],
  ]);
}

/** Two rank layers, four objects a pixel, the largest coverage first. */
function cryptomattePlanes(coverage: readonly Float32Array[]): Plane[] {
  const count = coverage[0].length;
  const planes = ['00', '01'].flatMap((rank) =>
    ['R', 'G', 'B', 'A'].map((letter) => ({
      name: `${CRYPTOMATTE}${rank}.${letter}`,
      type: 'float' as const,
      data: new Float32Array(count),
    })),
  );
  const ids = (wheels ?? []).map(({ name }) => {
    const bits = Uint32Array.of(cryptomatteId(name));
    return new Float32Array(bits.buffer)[0];
  });
  for (let i = 0; i < count; i++) {
    const there = coverage.map((plane, object) => ({ object, amount: plane[i] })).filter(({ amount }) => amount > 0);
    there.sort((a, b) => b.amount - a.amount);
    there.slice(0, 4).forEach(({ object, amount }, rank) => {
      planes[rank * 2].data[i] = ids[object];
      planes[rank * 2 + 1].data[i] = amount;
    });
  }
  return planes;
}

/** The room through the sRGB curve, with a lamp that flickers a little and grain. */
function plate(size: DemoSize, frame: number): Float32Array {
  if (room === null) {
    room = new Float32Array(size.width * size.height * 3);
    for (let y = 0; y < size.height; y++)
      for (let x = 0; x < size.width; x++) room.set(paintRoom((x + 0.5) / size.scale, (y + 0.5) / size.scale), (y * size.width + x) * 3);
  }
  const lamp = 1 + 0.04 * (hash(frame, 1, 7) - 0.5);
  return room.map((v, i) => linearToSrgb(Math.min(1, Math.max(0, v * lamp + (hash(i, frame, 5) - 0.5) * 0.012))));
}
