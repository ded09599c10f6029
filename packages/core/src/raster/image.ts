import { heightOf, sameWindow, widthOf, type Window } from './window';

export type SampleType = 'half' | 'float' | 'uint';

/** One channel over a data window, row by row. `uint` samples stay integers; half and float are float32 here. */
export interface Plane {
  /** Full name, layer and all: "motion.nextX". */
  readonly name: string;
  readonly type: SampleType;
  readonly data: Float32Array | Uint32Array;
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
