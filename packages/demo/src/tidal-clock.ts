import path from 'node:path';
import { encodeExr, lumaOf, viewColours, windowOfSize, type Attribute, type Image, type Plane } from '@ivrex/core';
import { loadPicture, savePng8, writeFileAtomic, type NodeHost } from '@ivrex/media';
import type { Card } from './card';
import { DREDGER, DREDGER_REFERENCES, dredgerFile, makeDredgerFile, type DredgerKind } from './dredger';
import { FLOAT_REFERENCES, GLASS_FLOAT, makeGlassFloatFile, type GlassFloatKind } from './glass-float';
import { makeHeron } from './heron';
import { renderBlurred, renderNoisy, renderSharp, type DemoSize, type FrameSize } from './render-cards';
import { makeSaltSprayFile, SALT_SPRAY, saltSprayFile, type SaltSprayKind } from './salt-spray';
import { makeHeronShadow } from './heron-shadow';
import { makeSluice, renderPlate, type PlatePicture, type SluicePlate } from './sluice';
import { makeWheelRoomFile, WHEEL_ROOM_KINDS, wheelRoomFile, type WheelRoomKind } from './wheel-room';

/** The made-up production: sizes and ranges that every shot shares. */
export const TIDAL_CLOCK = { width: 960, height: 540, scale: 1, first: 1001, frames: 24, fps: 24 } as const;

/** The same in a picture of another width. */
export function sizeOfWidth(width: number): DemoSize {
  const scale = width / TIDAL_CLOCK.width;
  return { width, height: TIDAL_CLOCK.height * scale, scale };
}

/** Frames for which the truth (ideal motion blur, 180 degrees centred) is written. */
export const REFERENCE_FRAMES = [1004, 1008, 1012, 1016, 1020] as const;
/** Frames that were also rendered with blur, quickly and with grain, under a shutter that no file says. */
export const GRAINY_FRAMES = [1006, 1014] as const;
export const GRAINY_SHUTTER = { opens: 0, closes: 0.4 } as const;
/** Frames in which heron, shadow and plate were also exposed together, in one go. */
export const WHOLE_FRAMES = [1008, 1016] as const;
/** Random points a pixel of such a render. */
export const GRAINY_SAMPLES = 24;
const TRUTH = { moments: 192, samples: 2 } as const;
const SHARP_SAMPLES = 32;

/** One file of the demo: what to render, and where it goes below the production's folder. */
export type DemoFile = { readonly shot: DemoShot; readonly frame: number; readonly file: string } & (
  | { readonly shot: 'TC_010'; readonly kind: HeronKind }
  | { readonly shot: 'TC_020'; readonly kind: WheelRoomKind }
  | { readonly shot: 'TC_030'; readonly kind: SaltSprayKind }
  | { readonly shot: 'TC_040'; readonly kind: GlassFloatKind }
  | { readonly shot: 'TC_050'; readonly kind: DredgerKind }
  | { readonly shot: 'look'; readonly kind: 'still' | 'lut' }
);
export type HeronKind = 'heron' | 'plate' | 'reeds' | 'shadow' | 'reference' | 'grainy' | 'whole';
export type DemoShot = 'TC_010' | 'TC_020' | 'TC_030' | 'TC_040' | 'TC_050' | 'look';

/** Every file, in the order that makes usable shots soonest. */
export function demoFiles(): DemoFile[] {
  const frames = Array.from({ length: TIDAL_CLOCK.frames }, (_, i) => TIDAL_CLOCK.first + i);
  const heron = (kind: HeronKind, name: string, frame: number): DemoFile => ({
    shot: 'TC_010',
    kind,
    frame,
    file: path.join('TC_010', `${name}.${frame}.exr`),
  });
  const wheels = (frame: number): DemoFile[] =>
    WHEEL_ROOM_KINDS.flatMap((kind) => {
      const file = wheelRoomFile(kind, frame);
      return file === null ? [] : [{ shot: 'TC_020', kind, frame, file }];
    });
  const spray = frames
    .slice(0, SALT_SPRAY.frames)
    .flatMap((frame) =>
      (['spray', 'velocity'] as const).map((kind): DemoFile => ({ shot: 'TC_030', kind, frame, file: saltSprayFile(kind, frame) })),
    );
  const truck = frames.slice(0, GLASS_FLOAT.frames),
    float = (kind: GlassFloatKind, frame: number): DemoFile => {
      const name = kind === 'reference' ? 'TC_040_float_blur180' : `TC_040_${kind}`;
      return { shot: 'TC_040', kind, frame, file: path.join('TC_040', `${name}.${frame}.exr`) };
    };
  const walk = frames.slice(0, DREDGER.frames),
    dredger = (kind: DredgerKind, frame: number): DemoFile => ({ shot: 'TC_050', kind, frame, file: dredgerFile(kind, frame) });
  const still = LOOK_FRAME;
  return [
    ...frames.map((f) => heron('heron', 'TC_010_heron', f)),
    ...REFERENCE_FRAMES.map((f) => heron('reference', 'TC_010_heron_blur180', f)),
    ...GRAINY_FRAMES.map((f) => heron('grainy', 'TC_010_heron_ref', f)),
    ...frames.flatMap(wheels),
    ...truck.map((f) => float('float', f)),
    ...FLOAT_REFERENCES.map((f) => float('reference', f)),
    ...truck.map((f) => float('mill', f)),
    ...spray,
    ...walk.map((f) => dredger('dredger', f)),
    ...DREDGER_REFERENCES.map((f) => dredger('reference', f)),
    ...walk.map((f) => dredger('plate', f)),
    ...frames.map((f) => heron('shadow', 'TC_010_shadow', f)),
    ...frames.map((f) => heron('plate', 'TC_010_plate', f)),
    ...frames.map((f) => heron('reeds', 'TC_010_reeds', f)),
    ...WHOLE_FRAMES.map((f) => heron('whole', 'TC_010_whole_ref', f)),
    { shot: 'look', kind: 'still', frame: still, file: path.join('look', `TC_010_plate_still_${still}.png`) },
    { shot: 'look', kind: 'lut', frame: 0, file: path.join('look', 'tidal_clock_evening.cube') },
  ];
}

/** The frame of TC_010's plate that a still shows as the production sees it: through the soft shoulder. */
export const LOOK_FRAME = 1012;

/** Rises when files that are there already are no longer what the demo is; `changedSince` names them. */
export const DEMO_VERSION = 3;

/** Files that a production of an earlier version holds differently. */
export function changedSince(version: number): DemoFile[] {
  return demoFiles().filter(
    ({ shot, kind }) =>
      (version < 2 && (kind === 'still' || (shot === 'TC_010' && kind === 'plate'))) ||
      (version < 3 && shot === 'TC_040' && kind === 'float'),
  );
}

/** The artwork of TC_010 at one size, each part painted when it is first needed, and its frames. */
class Heron {
  private readonly painted: { heron?: readonly Card[]; shadow?: readonly Card[]; sluice?: SluicePlate } = {};
  private lastPlate: { readonly frame: number; readonly picture: PlatePicture } | null = null;

  constructor(readonly size: DemoSize) {}

  private get heron(): readonly Card[] {
    return (this.painted.heron ??= makeHeron(this.size.scale));
  }

  private get shadow(): readonly Card[] {
    return (this.painted.shadow ??= makeHeronShadow(this.size.scale));
  }

  private get sluice(): SluicePlate {
    return (this.painted.sluice ??= makeSluice(this.size));
  }

  imageOf(kind: HeronKind, frame: number): Image {
    const t = frame - TIDAL_CLOCK.first,
      { size } = this;
    switch (kind) {
      case 'heron': {
        const passes = renderSharp(this.heron, t, size, SHARP_SAMPLES);
        return imageOf(size, [
          ...channels(passes.rgba, ['R', 'G', 'B', 'A']),
          ...channels(passes.motion, MOTION_CHANNELS),
          { name: 'depth.Z', type: 'half', data: passes.depth },
          { name: 'id.object', type: 'uint', data: passes.ids },
        ]);
      }
      case 'plate':
        return imageOf(size, channels(this.plate(frame).rgba, ['R', 'G', 'B', 'A']).slice(0, 3));
      case 'reeds':
        return imageOf(size, [{ name: 'A', type: 'half', data: this.plate(frame).reeds }]);
      case 'shadow': {
        // Black with its density as alpha, and its motion.
        const { rgba, motion } = renderSharp(this.shadow, t, size, SHARP_SAMPLES);
        return imageOf(size, [...channels(rgba, ['R', 'G', 'B', 'A']), ...channels(motion, MOTION_CHANNELS)]);
      }
      case 'grainy': {
        const { opens, closes } = GRAINY_SHUTTER;
        const rgba = renderNoisy(this.heron, t, opens, closes, size, GRAINY_SAMPLES, frame * 1000);
        return imageOf(size, channels(rgba, ['R', 'G', 'B', 'A']));
      }
      case 'reference':
        return imageOf(size, channels(renderBlurred(this.heron, t, -0.25, 0.25, size, TRUTH.moments, TRUTH.samples), ['R', 'G', 'B', 'A']));
      case 'whole': {
        // Heron, shadow, reeds and plate exposed together: what the assembled shot is to come to.
        const { rgba } = renderPlate(this.sluice, t, frame, { cards: this.heron, shadows: this.shadow });
        return imageOf(size, channels(rgba, ['R', 'G', 'B', 'A']).slice(0, 3));
      }
    }
  }

  /** What the plate's camera saw, and how much of it the reeds right before it cover: both come of one look. */
  private plate(frame: number): PlatePicture {
    if (this.lastPlate?.frame !== frame) this.lastPlate = { frame, picture: renderPlate(this.sluice, frame - TIDAL_CLOCK.first, frame) };
    return this.lastPlate.picture;
  }
}

const MOTION_CHANNELS = ['motion.nextX', 'motion.nextY', 'motion.prevX', 'motion.prevY'];

function imageOf({ width, height }: FrameSize, planes: readonly Plane[]): Image {
  const window = windowOfSize(width, height);
  return { displayWindow: window, dataWindow: window, planes };
}

function channels(interleaved: Float32Array, names: readonly string[]): Plane[] {
  return names.map((name, c) => {
    const data = new Float32Array(interleaved.length / names.length);
    for (let i = 0; i < data.length; i++) data[i] = interleaved[i * names.length + c];
    return { name, type: 'half', data };
  });
}

/** A process makes pictures of one size: artwork is painted once. */
let artwork: Heron | null = null;

export async function makeDemoFile(demo: DemoFile, folder: string, size: DemoSize, host: NodeHost): Promise<void> {
  const file = path.join(folder, demo.file);
  switch (demo.shot) {
    case 'TC_010': {
      if (artwork?.size.scale !== size.scale) artwork = new Heron(size);
      const image = artwork.imageOf(demo.kind, demo.frame);
      return writeFileAtomic(file, encodeExr(image, { compression: 'zip', attributes: attributesOf(demo.kind) }, host));
    }
    case 'TC_020':
      return makeWheelRoomFile(demo.kind, demo.frame, demo.frame - TIDAL_CLOCK.first, size, file, host);
    case 'TC_030':
      return makeSaltSprayFile(demo.kind, demo.frame - TIDAL_CLOCK.first, size, file, host);
    case 'TC_040':
      return makeGlassFloatFile(demo.kind, demo.frame, demo.frame - TIDAL_CLOCK.first, size, file, host);
    case 'TC_050':
      return makeDredgerFile(demo.kind, demo.frame - TIDAL_CLOCK.first, size, file, host);
    case 'look':
      return demo.kind === 'still' ? saveStill(file, folder, host) : writeFileAtomic(file, new TextEncoder().encode(eveningLut()));
  }
}

async function saveStill(file: string, folder: string, host: NodeHost): Promise<void> {
  const plate = path.join(folder, 'TC_010', `TC_010_plate.${LOOK_FRAME}.exr`);
  const { rgba, width, height } = await loadPicture({ file: plate, part: 0, layer: '' }, host);
  await savePng8(file, viewColours(rgba, 'shoulder'), { width, height, channels: 3 });
}

const LUT_SIZE = 33;

/** A warm evening look: expects the sRGB curve before it. */
function eveningLut(): string {
  const lines = ['# The Tidal Clock, evening look. Input: sRGB.', 'TITLE "Tidal Clock evening"', `LUT_3D_SIZE ${LUT_SIZE}`];
  for (let b = 0; b < LUT_SIZE; b++)
    for (let g = 0; g < LUT_SIZE; g++)
      for (let r = 0; r < LUT_SIZE; r++) {
        const [x, y, z] = [r, g, b].map((v) => v / (LUT_SIZE - 1));
        const luma = lumaOf(x, y, z);
        const warm = [
          luma + 1.08 * (x - luma) + 0.03 * luma,
          luma + 1.02 * (y - luma),
          luma + 0.92 * (z - luma) - 0.05 * luma * (1 - luma),
        ];
        lines.push(warm.map((v) => Math.min(1, Math.max(0, v)).toFixed(5)).join(' '));
      }
  return `${lines.join('\n')}\n`;
}

const COMMENTS: Record<HeronKind, string> = {
  heron: 'TC_010 mechanical heron crosses the sluice',
  reference: 'TC_010 mechanical heron crosses the sluice',
  grainy: 'TC_010 mechanical heron crosses the sluice',
  shadow: "TC_010 the heron's shadow on the water",
  plate: 'TC_010 plate, shutter 180 degrees',
  reeds: 'TC_010 matte of the reeds in front, from the plate',
  whole: 'TC_010 heron, shadow and plate exposed together',
};
/** Seconds that a frame took to render. */
const RENDER_SECONDS: Partial<Record<HeronKind, number>> = { heron: 312, shadow: 41, grainy: 870, reference: 1240, whole: 1480 };

function attributesOf(kind: HeronKind): ReadonlyMap<string, Attribute> {
  const seconds = RENDER_SECONDS[kind];
  return new Map<string, Attribute>([
    ['framesPerSecond', { type: 'rational', value: [TIDAL_CLOCK.fps, 1] }],
    ['owner', { type: 'string', value: 'The Tidal Clock' }],
    ['comments', { type: 'string', value: COMMENTS[kind] }],
    ...(seconds === undefined ? [] : [['renderTimeSeconds', { type: 'float', value: seconds }] as [string, Attribute]]),
  ]);
}
