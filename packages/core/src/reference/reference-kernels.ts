import type { Kernels, SliceLayer, SliceRequest, SliceSession } from '@ivrex/kernels/interface';
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
};

class ReferenceSession implements SliceSession {
  constructor(private readonly layers: readonly SliceLayer[]) {}

  render(request: SliceRequest, out: Float32Array, outOffset: number, outStride: number): void {
    const { box } = request;
    for (let y = 0; y < box.height; y++) {
      for (let x = 0; x < box.width; x++) out.set(this.pixel(request, box.x0 + x, box.y0 + y), outOffset + y * outStride + x * 4);
    }
  }

  close(): void {}

  private pixel(request: SliceRequest, x: number, y: number): number[] {
    const sum = [0, 0, 0, 0];
    request.times.forEach((t, s) => {
      const seen = [0, 0, 0, 0];
      for (const index of request.layers) {
        const colour = colourAt(this.layers[index], request, x, y, t);
        // The cubic filter overshoots: coverage above 1 leaves nothing for what is behind.
        const clear = Math.max(0, 1 - seen[3]);
        for (let c = 0; c < 4; c++) seen[c] += clear * colour[c];
      }
      for (let c = 0; c < 4; c++) sum[c] += request.weights[s] * seen[c];
    });
    return sum;
  }
}

function colourAt(layer: SliceLayer, request: SliceRequest, x: number, y: number, t: number): number[] {
  const { pathBox: box } = layer;
  const px = x - box.x0,
    py = y - box.y0;
  if (px < 0 || py < 0 || px >= box.width || py >= box.height) return [0, 0, 0, 0];
  const p = (py * box.width + px) * 8;
  const [gx, gy, re, im] = [0, 1, 2, 3].map((k) => t * layer.path[p + k] + t * t * layer.path[p + 4 + k]);
  // arc: phi(-lambda) from its definition. line: 1 / (1 + m).
  let kr: number, ki: number;
  const square = re * re + im * im;
  if (request.path === 'arc') {
    if (square < 1e-12) [kr, ki] = [1 - re / 2, -im / 2];
    else {
      const nr = Math.exp(-re) * Math.cos(im) - 1,
        ni = -Math.exp(-re) * Math.sin(im);
      [kr, ki] = [-(nr * re + ni * im) / square, -(ni * re - nr * im) / square];
    }
  } else {
    const norm = (1 + re) ** 2 + im ** 2;
    [kr, ki] = [(1 + re) / norm, -im / norm];
  }
  const sx = x - (gx * kr - gy * ki) - layer.colourBox.x0,
    sy = y - (gx * ki + gy * kr) - layer.colourBox.y0;
  return request.filter === 'cubic' ? sample(layer, sx, sy, catmullRom, 2) : sample(layer, sx, sy, (d) => Math.max(0, 1 - Math.abs(d)), 1);
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
