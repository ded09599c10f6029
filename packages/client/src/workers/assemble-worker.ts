import {
  addLight,
  apertureTable,
  assembleRows,
  blurRadius,
  completeDepth,
  defocusPicture,
  fitPlate,
  gradeTables,
  reduceColours,
  reducedSize,
  resizePicture,
  type AssembledElement,
  type Finish,
  type FitSize,
  type Grade,
  type Lens,
  type PlateFit,
} from '@ivrex/core';
import { instantiateKernels, type Kernels } from '@ivrex/kernels';
import { expose, transfer } from 'comlink';
import { shapedPicture, type PictureInputs } from './shaped-picture';

/** Interleaved premultiplied halves. */
export interface HalfPicture {
  readonly width: number;
  readonly height: number;
  readonly halves: Uint16Array;
}

/** An element that does not move. */
export interface StillInputs extends PictureInputs {
  readonly grade: Grade | null;
  /** In pixels of the picture. */
  readonly lens: Lens | null;
  readonly depth: Float32Array | null;
  readonly quality: 'draft' | 'final';
}

export type LaidElement = Pick<AssembledElement, 'blend' | 'opacity' | 'grade' | 'wantsGrain'> & { readonly id: string };

export interface AssembleOrder {
  readonly width: number;
  readonly height: number;
  readonly frame: number;
  readonly hasPlate: boolean;
  /** From the farthest to the nearest. */
  readonly elements: readonly LaidElement[];
  readonly finish: Finish;
}

interface Held {
  readonly key: string;
  readonly width: number;
  readonly height: number;
  readonly rgba: Float32Array;
}

let kernels: Kernels | null = null;
const pictures = new Map<string, Held>();
/** The same at the size of the assembled picture. */
const sized = new Map<string, Held>();
let plate: Held | null = null;

function started(): Kernels {
  if (kernels === null) throw new Error('the worker was used before it started');
  return kernels;
}

function widened(halves: Uint16Array): Float32Array {
  const out = new Float32Array(halves.length);
  started().halfToFloat(halves, out);
  return out;
}

const api = {
  async start(module: WebAssembly.Module): Promise<void> {
    kernels = await instantiateKernels(module);
  },
  /** Pictures of elements that are not named are given up. */
  keep(ids: readonly string[]): void {
    for (const id of pictures.keys()) if (!ids.includes(id)) pictures.delete(id);
    for (const id of sized.keys()) if (!ids.includes(id)) sized.delete(id);
  },
  /** Under `key` it is known from now on: see `keyOf`. */
  put(id: string, key: string, { width, height, halves }: HalfPicture): void {
    pictures.set(id, { key, width, height, rgba: widened(halves) });
  },
  /** Light that was blurred apart, onto an element that was put before. A draft of the one may come with the exact picture of the other: it is scaled. */
  addLight(id: string, { width, height, halves }: HalfPicture, factor: number): void {
    const held = pictures.get(id);
    if (held !== undefined) addLight(held.rgba, resizePicture(widened(halves), width, height, held.width, held.height), factor);
  },
  putStill(id: string, key: string, { grade, lens, depth, quality, ...parts }: StillInputs): void {
    const { width, height } = parts;
    let { rgba } = shapedPicture(parts, widened);
    const tables = gradeTables(grade);
    if (tables !== null) started().grade(rgba, tables);
    if (lens !== null && depth !== null) {
      const radii = completeDepth(depth, width, { ids: null, motion: null }).map((d) => blurRadius(lens, d));
      let most = 0;
      for (const radius of radii) most = Math.max(most, radius);
      rgba = defocusPicture(rgba, width, height, radii, apertureTable(lens.aperture, most, quality), started());
    }
    pictures.set(id, { key, width, height, rgba });
  },
  putPlate(key: string, { width, height, halves }: HalfPicture, pixelAspect: number, frame: FitSize, fit: PlateFit): void {
    plate = { key, width: frame.width, height: frame.height, rgba: fitPlate(widened(halves), { width, height, pixelAspect }, frame, fit) };
  },
  assemble({ width, height, frame, hasPlate, elements, finish }: AssembleOrder): Uint16Array {
    const out = new Float32Array(width * height * 4);
    const laid = elements.flatMap(({ id, ...how }) => {
      const picture = pictures.get(id);
      return picture === undefined ? [] : [{ ...how, rgba: atSize(id, picture, width, height) }];
    });
    assembleRows({ width, height }, hasPlate ? (plate?.rgba ?? null) : null, laid, finish, frame, 0, height, out, started());
    const halves = new Uint16Array(out.length);
    started().floatToHalf(out, halves);
    return transfer(halves, [halves.buffer]);
  },
};
export type AssembleWorker = typeof api;

function atSize(id: string, picture: Held, width: number, height: number): Float32Array {
  if (picture.width === width && picture.height === height) return picture.rgba;
  const known = sized.get(id);
  if (known?.key === picture.key && known.width === width && known.height === height) return known.rgba;
  // Made smaller by a whole number it is averaged, so that thin things do not flicker.
  const factor = Math.max(1, Math.floor(picture.width / width)),
    small = reducedSize(picture, factor);
  const reduced = reduceColours(picture.rgba, picture, factor);
  const rgba = resizePicture(reduced, small.width, small.height, width, height);
  sized.set(id, { key: picture.key, width, height, rgba });
  return rgba;
}

expose(api);
