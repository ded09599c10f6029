import {
  NODE_FLOATS,
  type AperturePicture,
  type Kernels,
  MATCH_TAPS,
  SCORE_NUMBERS,
  type LightTable,
  type MatchPicture,
  type MatchPoints,
  type MatchSession,
  type PyramidRequest,
  pyramidSide,
  type SliceLayer,
  type SliceRequest,
  type SliceSession,
} from '@ivrex/kernels/interface';
import { narrow, widen } from '../raster/half';
import { ReferenceChunk } from './reference-chunk';

/** The slow, obvious version of every kernel, in double precision. Tests hold the fast ones to it; nothing else uses it. */
export const referenceKernels: Kernels = {
  predictBytes(raw, out) {
    const half = Math.ceil(raw.length / 2);
    const split = new Uint8Array(raw.length);
    for (let i = 0; i < raw.length; i++) split[i % 2 === 0 ? i / 2 : half + (i - 1) / 2] = raw[i];
    for (let i = 0; i < raw.length; i++) out[i] = i === 0 ? split[0] : split[i] - split[i - 1] + 128;
  },
  halfToFloat(src, out) {
    for (let i = 0; i < src.length; i++) out[i] = widen(src[i]);
  },
  floatToHalf(src, out) {
    for (let i = 0; i < src.length; i++) out[i] = narrow(src[i]);
  },
  openChunk: (size) => new ReferenceChunk(size),
  openSlices: (layers) => new ReferenceSession(layers),
  grade(rgba, { firstStep, shift, channels, saturation, luma }) {
    const at = ({ values, atZero, below }: LightTable, v: number): number => {
      if (v <= 0) return atZero + v * below;
      const light = (i: number) => new Float32Array(Uint32Array.of((firstStep + i) << shift).buffer)[0];
      let i = 0;
      if (v < light(0)) return atZero + ((values[0] - atZero) * v) / light(0);
      for (let step = 1 << 20; step > 0; step >>= 1) if (i + step < values.length - 1 && light(i + step) <= v) i += step;
      return values[i] + ((values[i + 1] - values[i]) * (v - light(i))) / (light(i + 1) - light(i));
    };
    for (let i = 0; i < rgba.length; i += 4) {
      const colour = [...rgba.subarray(i, i + 3)],
        a = rgba[i + 3];
      if (!(a > 0) && colour.every((v) => v === 0)) continue;
      const lit = colour.map((v, c) => (a > 0 ? at(channels[c], v / a) : at(channels[c], v) - channels[c].atZero));
      const y = 0.2126 * lit[0] + 0.7152 * lit[1] + 0.0722 * lit[2],
        gain = (luma === null ? 1 : at(luma, y)) * (a > 0 ? a : 1);
      lit.forEach((v, c) => (rgba[i + c] = (y + saturation * (v - y)) * gain));
    }
  },
  openAperture: (picture) => ({
    gather(box, count, out, outOffset, outStride) {
      for (let y = 0; y < box.height; y++)
        for (let x = 0; x < box.width; x++) out.set(gathered(picture, count, box.x0 + x, box.y0 + y), outOffset + y * outStride + x * 4);
    },
    close: () => undefined,
  }),
  openMatch(requests) {
    for (const { width, height, rgba } of requests)
      if (rgba.length !== width * height * 4) throw new TypeError('another size than its data');
    return matchSession(requests.flatMap(pyramidOf));
  },
};

function pyramidOf({ width, height, rgba, reduced, levels, most }: PyramidRequest): MatchPicture[] {
  const light = means({ width, height, data: rgba.map((v) => (v > 0 ? Math.min(v, most) : 0)) }, reduced);
  const first = { ...light, data: light.data.map((v, i) => (i % 4 === 3 ? v / 2 : Math.sqrt(v))) };
  const out = [softened(softened(first, 1, 0), 0, 1)];
  while (out.length < levels) out.push(means(out[out.length - 1], 2));
  return out;
}

function matchSession(pictures: readonly MatchPicture[]): MatchSession {
  return {
    picture: (n) => pictures[n],
    match: (from, to, points, out) => matched(pictures[from], pictures[to], points, out),
    score({ now, before, after }, { places, vectors, scales, tolerance, base }, out) {
      const count = places.length / 2,
        sides = [
          { picture: before, vectors: vectors.before, scales: scales.map((s) => -s) },
          { picture: after, vectors: vectors.after, scales },
        ];
      const matches = sides.map((side) => {
        const residuals = new Float32Array(count * (scales.length / 2)).fill(-1);
        if (side.picture !== null) matched(pictures[now], pictures[side.picture], { ...side, places, step: 1 }, residuals);
        return residuals.map((r, j) => (r < 0 ? NaN : Math.exp(-r / tolerance[j % count])));
      });
      for (let j = 0; j < matches[0].length; j++) {
        const i = j % count,
          k = Math.floor(j / count),
          [m, n] = [matches[0][j], matches[1][j]];
        [m, n, m !== m ? n : n !== n ? m : Math.max(m, n)].forEach((match, side) => {
          if (match !== match) return;
          out[k * SCORE_NUMBERS + side] += match - base[side][i];
          out[k * SCORE_NUMBERS + 3 + side] += 1 - base[side][i];
        });
      }
    },
    close: () => undefined,
  };
}

/** Beyond the border a picture goes on as it ends. */
function pixelOf({ width, height, data }: MatchPicture, x: number, y: number, channel: number): number {
  return data[(Math.min(height - 1, Math.max(0, y)) * width + Math.min(width - 1, Math.max(0, x))) * 4 + channel];
}

function pictureOf(width: number, height: number, valueAt: (x: number, y: number, channel: number) => number): MatchPicture {
  const data = Float32Array.from({ length: width * height * 4 }, (_, i) => valueAt((i >> 2) % width, Math.floor((i >> 2) / width), i % 4));
  return { width, height, data };
}

/** Of squares of `by` pixels. */
function means(picture: MatchPicture, by: number): MatchPicture {
  const offsets = Array.from({ length: by * by }, (_, k) => [k % by, Math.floor(k / by)]);
  return pictureOf(
    pyramidSide(picture.width, by),
    pyramidSide(picture.height, by),
    (x, y, c) => offsets.reduce((sum, [dx, dy]) => sum + pixelOf(picture, x * by + dx, y * by + dy, c), 0) / by ** 2,
  );
}

function softened(picture: MatchPicture, dx: number, dy: number): MatchPicture {
  const at = (x: number, y: number, c: number) => pixelOf(picture, x, y, c);
  return pictureOf(picture.width, picture.height, (x, y, c) => (at(x - dx, y - dy, c) + 2 * at(x, y, c) + at(x + dx, y + dy, c)) / 4);
}

function matched(from: MatchPicture, to: MatchPicture, { places, vectors, step, scales }: MatchPoints, out: Float32Array): void {
  const count = places.length / 2,
    { width, height } = from;
  for (let k = 0; k < scales.length / 2; k++)
    for (let i = 0; i < count; i++) {
      const [x, y] = [places[i * 2], places[i * 2 + 1]];
      const moved = (tap: number, axis: 0 | 1) => vectors[(i * MATCH_TAPS + tap) * 2 + axis] * scales[k * 2 + axis];
      const [toX, toY] = [x + moved(4, 0), y + moved(4, 1)];
      if (!(toX >= -0.75 && toY >= -0.75 && toX <= width - 0.25 && toY <= height - 0.25)) {
        out[k * count + i] = -1;
        continue;
      }
      let sum = 0;
      for (let tap = 0; tap < MATCH_TAPS; tap++) {
        const px = x + ((tap % 3) - 1) * step,
          py = y + (Math.floor(tap / 3) - 1) * step;
        for (let c = 0; c < 4; c++) sum += (bilinear(to, px + moved(tap, 0), py + moved(tap, 1), c) - bilinear(from, px, py, c)) ** 2;
      }
      out[k * count + i] = sum / MATCH_TAPS;
    }
}

/** Beyond the border a picture goes on as it ends. */
function bilinear({ width, height, data }: MatchPicture, x: number, y: number, channel: number): number {
  const cx = Math.min(Math.max(x, 0), width - 1),
    cy = Math.min(Math.max(y, 0), height - 1),
    ix = Math.min(Math.floor(cx), width - 2),
    iy = Math.min(Math.floor(cy), height - 2);
  const at = (dx: number, dy: number) => data[((iy + dy) * width + ix + dx) * 4 + channel];
  const row = (dy: number) => at(0, dy) + (at(1, dy) - at(0, dy)) * (cx - ix);
  return row(0) + (row(1) - row(0)) * (cy - iy);
}

function gathered({ width, height, rgba, radii, shares, places }: AperturePicture, count: number, x: number, y: number): number[] {
  const sum = [0, 0, 0, 0];
  let weights = 0;
  for (let n = 0; n < Math.min(count, places.from.length); n++) {
    const px = x + places.dx[n],
      py = y + places.dy[n];
    if (px < 0 || py < 0 || px >= width || py >= height) continue;
    const k = py * width + px;
    const w = (n === 0 ? 1 : Math.min(1, Math.max(0, radii[k] - places.from[n] + 0.5))) * shares[k];
    weights += w;
    for (let c = 0; c < 4; c++) sum[c] += w * rgba[k * 4 + c];
  }
  return sum.map((v) => v / weights);
}

class ReferenceSession implements SliceSession {
  private readonly layers: readonly ApartLayer[];

  constructor(layers: readonly SliceLayer[]) {
    this.layers = layers.map(withoutHighlights);
  }

  render(request: SliceRequest, out: Float32Array, outOffset: number, outStride: number): void {
    const { box, parts } = request;
    for (let y = 0; y < box.height; y++) {
      for (let x = 0; x < box.width; x++) {
        const at = outOffset + y * outStride + x * 4,
          made = this.pixel(request, box.x0 + x, box.y0 + y);
        for (let c = 0; c < 4; c++) out[at + c] = made[c] + (parts ? out[at + c] : 0);
      }
    }
  }

  close(): void {}

  private pixel(request: SliceRequest, x: number, y: number): number[] {
    const sum = this.average(request, x, y);
    if (request.filter === 'linear') return sum;
    // The filter's lobes leave no less light than there is without them.
    const linear = this.average({ ...request, filter: 'linear' }, x, y);
    return sum.map((v, c) => Math.max(v, Math.min(0, linear[c])));
  }

  private average(request: SliceRequest, x: number, y: number): number[] {
    const sum = [0, 0, 0, 0],
      { box, parts } = request,
      pixel = (y - box.y0) * box.width + x - box.x0,
      shareOf = (s: number) => (parts ? parts.shares[parts.ends.findIndex((end) => s < end) * box.width * box.height + pixel] : 1);
    request.times.forEach((t, s) => {
      const seen = [0, 0, 0, 0];
      for (const index of request.layers) {
        const colour = colourAt(this.layers[index], request, x, y, t);
        // The cubic filter overshoots: coverage above 1 leaves nothing for what is behind.
        const clear = Math.max(0, 1 - seen[3]);
        for (let c = 0; c < 4; c++) seen[c] += clear * colour[c];
      }
      for (let c = 0; c < 4; c++) sum[c] += request.weights[s] * shareOf(s) * seen[c];
    });
    return sum;
  }
}

function colourAt(layer: ApartLayer, request: SliceRequest, x: number, y: number, t: number): number[] {
  const place = placeAt(layer, request.path, x, y, t);
  if (place === null) return [0, 0, 0, 0];
  const sx = place[0] - layer.colourBox.x0,
    sy = place[1] - layer.colourBox.y0;
  const linear = (d: number) => Math.max(0, 1 - Math.abs(d));
  const rest = request.filter === 'cubic' ? sample(layer, sx, sy, catmullRom, 2) : sample(layer, sx, sy, linear, 1);
  const lights = sample({ ...layer, colour: layer.lights }, sx, sy, linear, 1);
  return rest.map((v, c) => v + lights[c]);
}

const SETTLE_STEPS = 40,
  /** Where all steps still miss by more, one step back stays. */
  LOST_PX = 0.5,
  SETTLE_REACH_PX = 8;

/** The place in a layer whose path leads to a pixel: from one step back along the path there, again and again by what it misses. */
function placeAt(layer: SliceLayer, model: SliceRequest['path'], x: number, y: number, t: number): [number, number] | null {
  const here = flowAt(layer, x, y, t, false);
  if (here === null) return null;
  const [dx, dy] = model === 'arc' ? wayOf(here, -1) : lineBack(here);
  const first: [number, number] = [x - dx, y - dy];
  // No place is looked for farther than this from the first.
  const far = SETTLE_REACH_PX + Math.max(Math.abs(dx), Math.abs(dy)) / 2;
  let place = first,
    missed = 0;
  for (let step = 0; step < SETTLE_STEPS; step++) {
    const flow = flowAt(layer, place[0], place[1], t, true) ?? here,
      way = model === 'arc' ? wayOf(flow, 1) : flow.way;
    const rx = x - way[0] - place[0],
      ry = y - way[1] - place[1];
    missed = Math.hypot(rx, ry);
    if (missed < 1e-6) break;
    const [xx, xy, yx, yy] = flow.gradient;
    const near = (v: number, c: 0 | 1) => Math.min(first[c] + far, Math.max(first[c] - far, v));
    place = [near(place[0] + rx - xx * rx - xy * ry, 0), near(place[1] + ry - yx * rx - yy * ry, 1)];
  }
  return missed < LOST_PX ? place : first;
}

/** g (or a displacement) and L (or its gradient) at one time. */
interface Flow {
  readonly way: readonly [number, number];
  readonly gradient: readonly [number, number, number, number];
}

function flowAt(layer: SliceLayer, x: number, y: number, t: number, held: boolean): Flow | null {
  const { x0, y0, across, down, stepPx } = layer.path,
    hold = (v: number, from: number, count: number) => (held ? Math.min(from + (count - 1) * stepPx, Math.max(from, v)) : v);
  const path = pathAt(layer, hold(x, x0, across), hold(y, y0, down));
  if (path === null) return null;
  const [gx, gy, xx, xy, yx, yy] = [0, 1, 2, 3, 4, 5].map((k) => path.reduce((sum, order, n) => sum + t ** (n + 1) * order[k], 0));
  return { way: [gx, gy], gradient: [xx, xy, yx, yy] };
}

/** phi(L) g (or with -L) from its definition: the way under the flow v -> g + L v, in small steps (midpoint rule). */
function wayOf({ way: [gx, gy], gradient }: Flow, sign: 1 | -1): [number, number] {
  const steps = 400,
    [xx, xy, yx, yy] = gradient.map((v) => v * sign);
  let dx = 0,
    dy = 0;
  for (let i = 0; i < steps; i++) {
    const mx = dx + (gx + xx * dx + xy * dy) / steps / 2,
      my = dy + (gy + yx * dx + yy * dy) / steps / 2;
    dx += (gx + xx * mx + xy * my) / steps;
    dy += (gy + yx * mx + yy * my) / steps;
  }
  return [dx, dy];
}

function lineBack({ way: [gx, gy], gradient: [xx, xy, yx, yy] }: Flow): [number, number] {
  const det = Math.max(0.01, (1 + xx) * (1 + yy) - xy * yx);
  return [((1 + yy) * gx - xy * gy) / det, ((1 + xx) * gy - yx * gx) / det];
}

/** The path at a pixel, a list a power of the time; null outside the nodes. */
function pathAt({ path }: SliceLayer, x: number, y: number): number[][] | null {
  const u = (x - path.x0) / path.stepPx,
    v = (y - path.y0) / path.stepPx;
  if (!(u >= 0 && v >= 0 && u <= path.across - 1 && v <= path.down - 1)) return null;
  const ix = Math.min(path.across - 2, Math.floor(u)),
    iy = Math.min(path.down - 2, Math.floor(v));
  const node = (nx: number, ny: number, k: number) => path.nodes[(ny * path.across + nx) * path.orders * NODE_FLOATS + k];
  return Array.from({ length: path.orders }, (_, order) =>
    Array.from({ length: 6 }, (_, c) => {
      const k = order * NODE_FLOATS + c,
        top = node(ix, iy, k) * (1 - u + ix) + node(ix + 1, iy, k) * (u - ix),
        bottom = node(ix, iy + 1, k) * (1 - u + ix) + node(ix + 1, iy + 1, k) * (u - ix);
      return top * (1 - v + iy) + bottom * (v - iy);
    }),
  );
}

/** A layer whose colour has no highlights any more: they are in `lights`. */
interface ApartLayer extends SliceLayer {
  readonly lights: Float32Array;
}

/** Light above 1 and above four times the least within two pixels is sampled apart. */
function withoutHighlights(layer: SliceLayer): ApartLayer {
  const { width, height } = layer.colourBox,
    lights = new Float32Array(layer.colour.length),
    value = (x: number, y: number, c: number) => (x < 0 || y < 0 || x >= width || y >= height ? 0 : layer.colour[(y * width + x) * 4 + c]);
  for (let i = 0; i < lights.length; i++) {
    if (i % 4 === 3) continue;
    const x = (i >> 2) % width,
      y = Math.floor(i / 4 / width);
    let least = Infinity;
    for (let k = 0; k < 25; k++) least = Math.min(least, value(x - 2 + (k % 5), y - 2 + Math.floor(k / 5), i % 4));
    lights[i] = Math.max(0, layer.colour[i] - Math.max(1, 4 * least));
  }
  return { ...layer, colour: layer.colour.map((v, i) => v - lights[i]), lights };
}

function catmullRom(d: number): number {
  const a = Math.abs(d);
  return a <= 1 ? 1.5 * a ** 3 - 2.5 * a ** 2 + 1 : a < 2 ? -0.5 * a ** 3 + 2.5 * a ** 2 - 4 * a + 2 : 0;
}

function sample(layer: SliceLayer, sx: number, sy: number, weight: (distance: number) => number, radius: number): number[] {
  const { width, height } = layer.colourBox;
  const out = [0, 0, 0, 0];
  if (!(sx > -2 && sy > -2 && sx < width + 1 && sy < height + 1)) return out;
  for (let y = Math.floor(sy) - radius + 1; y <= Math.floor(sy) + radius; y++) {
    for (let x = Math.floor(sx) - radius + 1; x <= Math.floor(sx) + radius; x++) {
      if (x < 0 || y < 0 || x >= width || y >= height) continue;
      const w = weight(sx - x) * weight(sy - y);
      for (let c = 0; c < 4; c++) out[c] += w * layer.colour[(y * width + x) * 4 + c];
    }
  }
  return out;
}
