import { heightOf, sameWindow, widthOf, type Window } from './window';

/** What a file stores. `u8` and `u16` are the whole numbers of picture files, held as fractions of their range. */
export const SAMPLE_TYPES = ['half', 'float', 'uint', 'u8', 'u16'] as const;
export type SampleType = (typeof SAMPLE_TYPES)[number];

/** A plane that stores only every x-th sample of every y-th row (at multiples of x and y). */
export interface Sampling {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/**
 * One channel over a data window, row by row. `uint` samples stay integers; half and float are float32 here; u8 and u16 are 0 to 1.
 */
export interface Plane {
  /** Full name, layer and all: "motion.nextX". */
  readonly name: string;
  readonly type: SampleType;
  readonly data: Float32Array | Uint32Array;
  /** Missing: a sample a pixel. */
  readonly sampling?: Sampling;
}

export interface Image {
  readonly displayWindow: Window;
  readonly dataWindow: Window;
  readonly planes: readonly Plane[];
}

export function findPlane(image: Image, name: string): Plane | null {
  return image.planes.find((plane) => plane.name === name) ?? null;
}

/** "a.b.R" -> ["a.b", "R"]; a name without a dot belongs to layer "". */
export function splitChannelName(name: string): { layer: string; channel: string } {
  const dot = name.lastIndexOf('.');
  return dot < 0 ? { layer: '', channel: name } : { layer: name.slice(0, dot), channel: name.slice(dot + 1) };
}

export function joinChannelName(layer: string, channel: string): string {
  return layer === '' ? channel : `${layer}.${channel}`;
}

/**
 * The plane laid over the display window as floats, `outside` where the data window does not reach.
 * Returns the plane's own array when the windows agree and it holds floats: treat it as read-only.
 */
export function planeOnDisplay(image: Image, plane: Plane, outside = 0): Float32Array {
  const { displayWindow: display, dataWindow: data } = image;
  if (plane.sampling !== undefined) return planeOnDisplay(image, everyPixel(image, plane, plane.sampling), outside);
  if (sameWindow(display, data) && plane.data instanceof Float32Array) return plane.data;
  const width = widthOf(display);
  const out = new Float32Array(width * heightOf(display)).fill(outside);
  const stride = widthOf(data);
  const left = Math.max(display.xMin, data.xMin);
  const right = Math.min(display.xMax, data.xMax);
  if (right < left) return out;
  for (let y = Math.max(display.yMin, data.yMin); y <= Math.min(display.yMax, data.yMax); y++) {
    const from = (y - data.yMin) * stride + (left - data.xMin);
    out.set(plane.data.subarray(from, from + right - left + 1), (y - display.yMin) * width + (left - display.xMin));
  }
  return out;
}

/** A subsampled plane with a sample a pixel: each stored sample stands for itself and what follows it. */
function everyPixel({ dataWindow }: Image, plane: Plane, s: Sampling): Plane {
  const width = widthOf(dataWindow),
    height = heightOf(dataWindow);
  const data = new Float32Array(width * height),
    left = Math.ceil(dataWindow.xMin / s.x),
    top = Math.ceil(dataWindow.yMin / s.y);
  for (let y = 0; y < height; y++) {
    const row = Math.min(s.height - 1, Math.max(0, Math.floor((y + dataWindow.yMin) / s.y) - top));
    for (let x = 0; x < width; x++) {
      const column = Math.min(s.width - 1, Math.max(0, Math.floor((x + dataWindow.xMin) / s.x) - left));
      data[y * width + x] = plane.data[row * s.width + column];
    }
  }
  return { name: plane.name, type: plane.type, data };
}

/** Interleaved premultiplied RGBA over the display window. A missing colour channel is 0, a missing alpha 1. */
export function rgbaOnDisplay(image: Image, names: readonly [string | null, string | null, string | null, string | null]): Float32Array {
  const count = widthOf(image.displayWindow) * heightOf(image.displayWindow);
  const out = new Float32Array(count * 4);
  names.forEach((name, channel) => {
    const plane = name === null ? null : findPlane(image, name);
    const outside = 0;
    const values = plane ? planeOnDisplay(image, plane, outside) : null;
    const missing = channel === 3 ? 1 : 0;
    for (let i = 0; i < count; i++) out[i * 4 + channel] = values ? values[i] : missing;
  });
  return out;
}
