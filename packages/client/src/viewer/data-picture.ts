import type { Raster, Role } from '@ivrex/contract';
import { halfToNumber } from './half';

export interface ShownPixels {
  readonly width: number;
  readonly height: number;
  /** RGBA, display values: data never go through a display transform. */
  readonly rgba: Float32Array;
  /** How the values were brought to what is seen. */
  readonly note: string;
}

/** Data made visible by a stated scaling; nothing is changed in the data. */
export function showData(raster: Raster, role: Role): ShownPixels {
  const { width, height, names } = raster.header;
  const planes = raster.planes.map((p) => (p instanceof Float32Array ? p : Float32Array.from(p, halfToNumber)));
  const rgba = new Float32Array(width * height * 4);
  const put = (i: number, r: number, g: number, b: number) => rgba.set([r, g, b, 1], i * 4);
  if (role === 'ids') {
    for (let i = 0; i < width * height; i++) {
      const id = planes[0][i];
      if (id === 0) put(i, 0.07, 0.07, 0.07);
      else put(i, 0.3 + 0.6 * fraction(id * 0.618), 0.3 + 0.6 * fraction(id * 0.414 + 0.3), 0.3 + 0.6 * fraction(id * 0.732 + 0.6));
    }
    return { width, height, rgba, note: `${names[0]}: one colour an object` };
  }
  if (role === 'motion') {
    const peak = Math.max(1e-9, ...planes.slice(0, 2).map(largest));
    for (let i = 0; i < width * height; i++) put(i, 0.5 + planes[0][i] / peak / 2, 0.5 + (planes[1]?.[i] ?? 0) / peak / 2, 0.5);
    return { width, height, rgba, note: `${names.slice(0, 2).join(' and ')} as stored, grey is 0, range ${peak.toPrecision(3)}` };
  }
  let min = Infinity,
    max = -Infinity;
  for (const v of planes[0]) if (Number.isFinite(v) && v !== 0) [min, max] = [Math.min(min, v), Math.max(max, v)];
  for (let i = 0; i < width * height; i++) {
    const v = planes[0][i];
    const t = v === 0 && role === 'depth' ? 0 : 0.15 + (0.85 * (role === 'depth' ? max - v : v - min)) / Math.max(1e-9, max - min);
    put(i, t, t, t);
  }
  return {
    width,
    height,
    rgba,
    note: Number.isFinite(min)
      ? `${names[0]} from ${min.toPrecision(4)} to ${max.toPrecision(4)}${role === 'depth' ? ', near is bright' : ''}`
      : `${names[0]} holds only 0`,
  };
}

function fraction(v: number): number {
  return v - Math.floor(v);
}

function largest(plane: Float32Array): number {
  let peak = 0;
  for (const v of plane) if (Number.isFinite(v)) peak = Math.max(peak, Math.abs(v));
  return peak;
}
