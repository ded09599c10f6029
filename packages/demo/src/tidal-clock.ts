import path from 'node:path';
import { encodeExr, windowOfSize, type Attribute, type Image, type Plane } from '@ivrex/core';
import { writeFileAtomic, type NodeHost } from '@ivrex/media';
import { makeHeron } from './heron';
import { renderBlurred, renderSharp, type FrameSize } from './render-cards';
import { makeSluice, renderPlate } from './sluice';

/** The made-up production: sizes and ranges that every shot shares. */
export const TIDAL_CLOCK = { width: 960, height: 540, first: 1001, frames: 24, fps: 24 } as const;
const SIZE: FrameSize = TIDAL_CLOCK;

/** Frames for which the truth (ideal motion blur, 180 degrees centred) is written. */
export const REFERENCE_FRAMES = [1004, 1008, 1012, 1016, 1020] as const;
const TRUTH = { moments: 192, samples: 2 } as const;
const SHARP_SAMPLES = 32;

/** One file of the demo: what to render, and where it goes below the production's folder. */
export interface DemoFile {
  readonly kind: 'heron' | 'plate' | 'reference';
  readonly frame: number;
  readonly file: string;
}

/** Every file, in the order that makes a usable shot soonest. */
export function demoFiles(): DemoFile[] {
  const frames = Array.from({ length: TIDAL_CLOCK.frames }, (_, i) => TIDAL_CLOCK.first + i);
  const of = (kind: DemoFile['kind'], name: string, frame: number): DemoFile => ({
    kind,
    frame,
    file: path.join('TC_010', `${name}.${frame}.exr`),
  });
  return [
    ...frames.map((f) => of('heron', 'TC_010_heron', f)),
    ...REFERENCE_FRAMES.map((f) => of('reference', 'TC_010_heron_blur180', f)),
    ...frames.map((f) => of('plate', 'TC_010_plate', f)),
  ];
}

/** Artwork is painted once a process, when it is first needed. */
let heron: ReturnType<typeof makeHeron> | null = null;
let sluice: ReturnType<typeof makeSluice> | null = null;

export function heronFrame(frame: number): Image {
  heron ??= makeHeron();
  const passes = renderSharp(heron, frame - TIDAL_CLOCK.first, SIZE, SHARP_SAMPLES);
  const planes: Plane[] = [
    ...channels(passes.rgba, ['R', 'G', 'B', 'A']),
    ...channels(passes.motion, ['motion.nextX', 'motion.nextY', 'motion.prevX', 'motion.prevY']),
    { name: 'depth.Z', type: 'half', data: passes.depth },
    { name: 'id.object', type: 'uint', data: passes.ids },
  ];
  return imageOf(planes);
}

/** The heron alone under an ideal shutter. */
export function heronTruth(
  frame: number,
  opens: number,
  closes: number,
  moments: number = TRUTH.moments,
  samples: number = TRUTH.samples,
): Image {
  heron ??= makeHeron();
  return imageOf(channels(renderBlurred(heron, frame - TIDAL_CLOCK.first, opens, closes, SIZE, moments, samples), ['R', 'G', 'B', 'A']));
}

export function plateFrame(frame: number): Image {
  sluice ??= makeSluice(SIZE);
  return imageOf(channels(renderPlate(sluice, frame - TIDAL_CLOCK.first, SIZE, frame), ['R', 'G', 'B', 'A']).slice(0, 3));
}

function imageOf(planes: readonly Plane[]): Image {
  const window = windowOfSize(SIZE.width, SIZE.height);
  return { displayWindow: window, dataWindow: window, planes };
}

function channels(interleaved: Float32Array, names: readonly string[]): Plane[] {
  return names.map((name, c) => {
    const data = new Float32Array(interleaved.length / names.length);
    for (let i = 0; i < data.length; i++) data[i] = interleaved[i * names.length + c];
    return { name, type: 'half', data };
  });
}

export async function makeDemoFile(demo: DemoFile, folder: string, host: NodeHost): Promise<void> {
  const image =
    demo.kind === 'heron' ? heronFrame(demo.frame) : demo.kind === 'plate' ? plateFrame(demo.frame) : heronTruth(demo.frame, -0.25, 0.25);
  await writeFileAtomic(path.join(folder, demo.file), encodeExr(image, { compression: 'zip', attributes: attributesOf(demo) }, host));
}

function attributesOf(demo: DemoFile): ReadonlyMap<string, Attribute> {
  return new Map<string, Attribute>([
    ['framesPerSecond', { type: 'rational', value: [TIDAL_CLOCK.fps, 1] }],
    ['owner', { type: 'string', value: 'The Tidal Clock' }],
    [
      'comments',
      { type: 'string', value: demo.kind === 'plate' ? 'TC_010 plate, shutter 180 degrees' : 'TC_010 mechanical heron crosses the sluice' },
    ],
    ...(demo.kind === 'plate'
      ? []
      : [['renderTimeSeconds', { type: 'float', value: demo.kind === 'heron' ? 312 : 1240 }] as [string, Attribute]]),
  ]);
}
