import {
  ALPHA_NAME,
  areRanks,
  decodeDepth,
  describeDepth,
  halfToNumber,
  idChannelsOf,
  objectIds,
  rankPlanes,
  storedDepth,
  type DepthEncoding,
  type StoredDepth,
  type NamedPlane,
  type RankPlanes,
} from '@ivrex/core';
import type { Raster, Role } from '@ivrex/contract';

export interface ShownPixels {
  readonly width: number;
  readonly height: number;
  /** RGBA, display values: data never go through a display transform. */
  readonly rgba: Float32Array;
  /** How the values were brought to what is seen. */
  readonly note: string;
}

/** Data made visible by a stated scaling; nothing is changed in the data. */
export function showData(
  raster: Raster,
  role: Role,
  chosen: ReadonlySet<number> = new Set(),
  depth: DepthEncoding | null = null,
): ShownPixels {
  const { width, height, names } = raster.header;
  const planes = raster.planes.map((p) => (p instanceof Float32Array ? p : Float32Array.from(p, halfToNumber)));
  const rgba = new Float32Array(width * height * 4);
  if (isCryptomatte(raster)) return showObjects(raster, chosen);
  const stored =
    depth &&
    storedDepth(
      names.map((name, n) => ({ name, type: 'float' as const, data: planes[n] })),
      width,
      depth,
    );
  if (depth && stored) return showDepth(raster, stored, depth);
  const put = (i: number, r: number, g: number, b: number) => rgba.set([r, g, b, 1], i * 4);
  if (role === 'ids') {
    const named = namedPlanes({ ...raster, planes }),
      ids = objectIds(named, width);
    for (let i = 0; i < width * height; i++) {
      const id = ids[i];
      if (id === 0) put(i, 0.07, 0.07, 0.07);
      else put(i, 0.3 + 0.6 * fraction(id * 0.618), 0.3 + 0.6 * fraction(id * 0.414 + 0.3), 0.3 + 0.6 * fraction(id * 0.732 + 0.6));
    }
    return { width, height, rgba, note: `${idChannelsOf(named).names.join(', ')}: one colour an object` };
  }
  if (role === 'motion') {
    // Whole numbers are stored around the middle, floats around 0.
    const rest = mostFrequent(planes[0]) > 0.3 ? mostFrequent(planes[0]) : 0;
    const peak = Math.max(1e-9, ...planes.slice(0, 2).map((plane) => largest(plane, rest)));
    for (let i = 0; i < width * height; i++)
      put(i, 0.5 + (planes[0][i] - rest) / peak / 2, 0.5 + ((planes[1]?.[i] ?? rest) - rest) / peak / 2, 0.5);
    return {
      width,
      height,
      rgba,
      note: `${names.slice(0, 2).join(' and ')} as stored, grey is ${Number(rest.toFixed(4))}, range ${peak.toPrecision(3)}`,
    };
  }
  // Alpha comes first by name, and is data only when there is nothing else.
  const at =
      role === 'matte'
        ? 0
        : Math.max(
            0,
            names.findIndex((name) => !ALPHA_NAME.test(name)),
          ),
    shown = planes[at];
  let min = Infinity,
    max = -Infinity;
  for (const v of shown) if (Number.isFinite(v) && v !== 0) [min, max] = [Math.min(min, v), Math.max(max, v)];
  for (let i = 0; i < width * height; i++) {
    const v = shown[i];
    const t = v === 0 && role === 'depth' ? 0 : 0.15 + (0.85 * (role === 'depth' ? max - v : v - min)) / Math.max(1e-9, max - min);
    put(i, t, t, t);
  }
  return {
    width,
    height,
    rgba,
    note: Number.isFinite(min)
      ? `${names[at]} from ${min.toPrecision(4)} to ${max.toPrecision(4)}${role === 'depth' ? ', near is bright' : ''}`
      : `${names[at]} holds only 0`,
  };
}

/** Near is bright, whatever is stored; nothing is black. */
function showDepth({ header: { width, height } }: Raster, stored: StoredDepth, encoding: DepthEncoding): ShownPixels {
  const distance = decodeDepth(stored, encoding),
    there = distance.filter((d) => d < Infinity).sort();
  const rgba = new Float32Array(width * height * 4);
  // One over the distance, so that what is far does not press what is near into one grey.
  const low = 1 / (there[Math.floor(there.length * 0.995)] ?? 1),
    high = 1 / (there[Math.floor(there.length * 0.005)] ?? 1);
  for (let i = 0; i < distance.length; i++) {
    const t = distance[i] === Infinity ? 0 : 0.15 + 0.85 * Math.min(1, Math.max(0, (1 / distance[i] - low) / Math.max(1e-12, high - low)));
    rgba.set([t, t, t, 1], i * 4);
  }
  return { width, height, rgba, note: `${describeDepth(encoding)}; near is bright` };
}

function fraction(v: number): number {
  return v - Math.floor(v);
}

function largest(plane: Float32Array, rest: number): number {
  let peak = 0;
  for (const v of plane) if (Number.isFinite(v)) peak = Math.max(peak, Math.abs(v - rest));
  return peak;
}

/** Over a thinned plane: enough to find the value that stands still. */
function mostFrequent(plane: Float32Array): number {
  const counts = new Map<number, number>();
  for (let i = 0; i < plane.length; i += 13) counts.set(plane[i], (counts.get(plane[i]) ?? 0) + 1);
  let rest = 0,
    most = 0;
  for (const [v, n] of counts) if (n > most) [rest, most] = [v, n];
  return rest;
}

export function isCryptomatte(raster: Raster): boolean {
  return raster.header.format === 'planes32f' && areRanks(raster.header.names);
}

/** Ranks of a Cryptomatte raster. */
export function ranksOf(raster: Raster): RankPlanes {
  return rankPlanes(namedPlanes(raster));
}

/** Of a raster that was asked for as planes. */
export function namedPlanes({ header, planes }: Raster): NamedPlane[] {
  return header.names.map((name, i) => ({ name, data: planes[i] as Float32Array }));
}

/** One colour an object, mixed by coverage; with a choice, the others step back. */
function showObjects(raster: Raster, chosen: ReadonlySet<number>): ShownPixels {
  const { width, height } = raster.header;
  const { ids, coverages } = ranksOf(raster);
  const rgba = new Float32Array(width * height * 4);
  for (let i = 0; i < width * height; i++) {
    const sum = [0.05, 0.05, 0.05];
    ids.forEach((plane, rank) => {
      const amount = coverages[rank][i];
      if (!(amount > 0)) return;
      const strength = chosen.size === 0 || chosen.has(plane[i]) ? amount : amount * 0.18;
      const colour = objectColour(plane[i]);
      for (let c = 0; c < 3; c++) sum[c] += strength * (colour[c] - 0.05);
    });
    rgba.set([...sum, 1], i * 4);
  }
  return { width, height, rgba, note: `${ids.length} ranks; click an object to choose it` };
}

export function objectColour(id: number): [number, number, number] {
  const f = (k: number) => fraction(id * k);
  return [0.3 + 0.6 * f(0.618033), 0.3 + 0.6 * f(0.414213), 0.3 + 0.6 * f(0.732051)];
}
