import fc from 'fast-check';
import type { Kernels, SliceLayer, SliceRequest } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';
import { narrow, referenceKernels, widen } from '../src/reference';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

const bytes = fc.uint8Array({ minLength: 1, maxLength: 300 });
const SEED = { seed: 20261123, numRuns: 200 };

test('the byte steps agree with their definition, whatever was in the output before', () => {
  fc.assert(
    fc.property(bytes, (src) => {
      for (const step of ['reconstructBytes', 'predictBytes'] as const) {
        const fast = new Uint8Array(src.length).fill(0xaa),
          slow = new Uint8Array(src.length).fill(0x55);
        kernels[step](src, fast);
        referenceKernels[step](src, slow);
        expect(fast).toEqual(slow);
      }
    }),
    SEED,
  );
});

test('prediction is undone by reconstruction', () => {
  fc.assert(
    fc.property(bytes, (raw) => {
      const packed = new Uint8Array(raw.length),
        back = new Uint8Array(raw.length);
      kernels.predictBytes(raw, packed);
      kernels.reconstructBytes(packed, back);
      expect(back).toEqual(raw);
    }),
    SEED,
  );
});

test('every one of the 65536 halves widens to the value of its definition, and comes back', () => {
  const all = Uint16Array.from({ length: 65536 }, (_, i) => i);
  const wide = new Float32Array(65536).fill(-7);
  kernels.halfToFloat(all, wide);
  for (let h = 0; h < 65536; h++)
    if (!Object.is(wide[h], Math.fround(widen(h)))) throw new Error(`half ${h}: ${wide[h]} instead of ${widen(h)}`);
  const back = new Uint16Array(65536);
  kernels.floatToHalf(wide, back);
  for (let h = 0; h < 65536; h++) {
    const isNan = (h & 0x7c00) === 0x7c00 && (h & 0x3ff) !== 0;
    if (isNan ? (back[h] & 0x7c00) !== 0x7c00 || (back[h] & 0x3ff) === 0 : back[h] !== h)
      throw new Error(`half ${h} came back as ${back[h]}`);
  }
});

test('floats round to the nearest half, ties to even, past 65519 to infinity', () => {
  // Every midpoint between neighbouring halves, and one float step to each side of it.
  const values: number[] = [65519, 65519.996, 65520, 1e9, -1e9, 2 ** -25, 2 ** -25 * 1.0001, 0, -0];
  const bits = new Uint32Array(1),
    float = new Float32Array(bits.buffer);
  for (let h = 0; h < 0x7bff; h += 7) {
    float[0] = (widen(h) + widen(h + 1)) / 2;
    for (const step of [-1, 0, 1]) {
      const near = new Uint32Array([bits[0] + step]);
      values.push(new Float32Array(near.buffer)[0]);
    }
  }
  const src = Float32Array.from(values),
    out = new Uint16Array(src.length);
  kernels.floatToHalf(src, out);
  src.forEach((value, i) => {
    if (out[i] !== narrow(value)) throw new Error(`${value} became ${out[i]} instead of ${narrow(value)}`);
  });
});

function randomLayer(random: () => number, x0: number, y0: number, width: number, height: number): SliceLayer {
  const colour = new Float32Array(width * height * 4),
    path = new Float32Array((width + 12) * (height + 12) * 8);
  for (let i = 0; i < colour.length; i += 4) {
    const a = random();
    colour.set([random() * a, random() * a, random() * a, a], i);
  }
  for (let i = 0; i < path.length; i++) path[i] = (random() - 0.5) * (i % 4 < 2 ? 9 : 0.4);
  return {
    colourBox: { x0, y0, width, height },
    colour,
    pathBox: { x0: x0 - 6, y0: y0 - 6, width: width + 12, height: height + 12 },
    path,
  };
}

test.each([
  ['arc', 'cubic'],
  ['arc', 'linear'],
  ['line', 'cubic'],
  ['line', 'linear'],
] as const)('slices along %s paths, %s: the fast kernel follows the slow one', (path, filter) => {
  let state = 12345;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
  const layers = [randomLayer(random, 3, 2, 14, 11), randomLayer(random, -4, 6, 22, 17)];
  const request: SliceRequest = {
    layers: [0, 1],
    times: Float32Array.of(-0.6, -0.1, 0, 0.45, 0.9),
    weights: Float32Array.of(0.1, 0.2, 0.4, 0.2, 0.1),
    path,
    filter,
    box: { x0: -8, y0: -3, width: 34, height: 27 },
  };
  const fast = new Float32Array(34 * 27 * 4).fill(9),
    slow = new Float32Array(34 * 27 * 4).fill(-9);
  const session = kernels.openSlices(layers);
  session.render(request, fast, 0, 34 * 4);
  session.close();
  referenceKernels.openSlices(layers).render(request, slow, 0, 34 * 4);
  // Every step is continuous, so rounding moves a value by little and never flips one; the
  // fast kernel also stops where less than 0.0005 of what is behind can be seen.
  fast.forEach((value, i) => {
    if (!(Math.abs(value - slow[i]) < 1e-3)) throw new Error(`value ${i}: ${value} instead of ${slow[i]}`);
  });
});
