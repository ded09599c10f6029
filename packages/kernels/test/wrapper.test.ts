import { NODE_PX, type Kernels, type SliceLayer, type SliceRequest } from '../src';
import { loadKernels } from './kernels';

let kernels: Kernels;
beforeEach(async () => {
  kernels = await loadKernels();
});

const box = (width: number, height: number) => ({ x0: 0, y0: 0, width, height });

/** One surface of a single colour that stands still. */
function still(width: number, height: number, rgba: readonly number[]): SliceLayer {
  const colour = new Float32Array(width * height * 4);
  for (let i = 0; i < colour.length; i++) colour[i] = rgba[i % 4];
  const across = Math.ceil((width - 1) / NODE_PX) + 1,
    down = Math.ceil((height - 1) / NODE_PX) + 1;
  return {
    colourBox: box(width, height),
    colour,
    path: { x0: 0, y0: 0, across, down, stepPx: NODE_PX, isOneFlow: false, orders: 2, nodes: new Float32Array(across * down * 16) },
  };
}

const request = (width: number, height: number, layers: readonly number[]): SliceRequest => ({
  layers,
  times: Float32Array.of(0),
  weights: Float32Array.of(1),
  path: 'arc',
  filter: 'cubic',
  box: box(width, height),
});

test("arrays of different lengths are a caller's mistake", () => {
  expect(() => kernels.halfToFloat(new Uint16Array(3), new Float32Array(4))).toThrow(TypeError);
  expect(() => kernels.floatToHalf(new Float32Array(3), new Uint16Array(2))).toThrow(TypeError);
  expect(() => kernels.predictBytes(new Uint8Array(3), new Uint8Array(2))).toThrow(TypeError);
});

test('a layer that does not fill its boxes is refused before memory is written', () => {
  const good = still(4, 4, [1, 1, 1, 1]);
  expect(() => kernels.openSlices([{ ...good, colour: good.colour.subarray(4) }])).toThrow('layer colour');
  expect(() => kernels.openSlices([{ ...good, path: { ...good.path, nodes: good.path.nodes.subarray(8) } }])).toThrow('layer path');
  const session = kernels.openSlices([good]);
  const bad = { ...request(4, 4, [0]), weights: Float32Array.of(0.5, 0.5) };
  expect(() => session.render(bad, new Float32Array(64), 0, 16)).toThrow(TypeError);
});

test('a slice of an array is read and written where it lies, and nothing beside it', () => {
  const src = Float32Array.of(9, 1, 2, 3, 9);
  const out = new Uint16Array(5).fill(7);
  kernels.floatToHalf(src.subarray(1, 4), out.subarray(1, 4));
  expect([...out]).toEqual([7, 0x3c00, 0x4000, 0x4200, 7]);
});

test('a step that would leave its chunk is refused before memory is written', () => {
  const chunk = kernels.openChunk(64);
  const rows = { offsets: Int32Array.of(60), samples: 4, split: false };
  expect(() => chunk.put(new Uint8Array(8), 60)).toThrow(TypeError);
  expect(() => chunk.undoPredictor(65)).toThrow(TypeError);
  expect(() => chunk.undoHuffman(new Uint8Array(40), 0, 33)).toThrow(TypeError);
  expect(() => chunk.undoWavelet(0, { width: 8, stepX: 1, height: 5, stepY: 8 }, 9)).toThrow(TypeError);
  expect(() => chunk.lookUp(0, 4, new Uint16Array(16))).toThrow(TypeError);
  expect(() => chunk.readHalves(rows, new Float32Array(4), 4)).toThrow(TypeError);
  expect(() => chunk.undoBlocks({ ac: new Uint16Array(1), dc: new Uint16Array(2), components: 1, width: 8, height: 8 }, 0)).toThrow(
    TypeError,
  );
  chunk.close();
});

test('memory grows with the pictures, and a closed session gives it back', () => {
  for (let round = 0; round < 6; round++) {
    const session = kernels.openSlices([still(700, 500, [0.25, 0.5, 0.75, 1])]);
    const out = new Float32Array(700 * 4);
    session.render({ ...request(700, 1, [0]), box: { x0: 0, y0: 250, width: 700, height: 1 } }, out, 0, 2800);
    expect([...out.slice(1400, 1404)]).toEqual([0.25, 0.5, 0.75, 1]);
    // Work between renders of an open session must not touch its pixels.
    kernels.halfToFloat(new Uint16Array(100000), new Float32Array(100000));
    session.render({ ...request(700, 1, [0]), box: { x0: 0, y0: 499, width: 700, height: 1 } }, out, 0, 2800);
    expect([...out.slice(0, 4)]).toEqual([0.25, 0.5, 0.75, 1]);
    session.close();
  }
});

test('rows go where the caller wants them', () => {
  const session = kernels.openSlices([still(2, 2, [0, 0, 0, 0.5])]);
  const out = new Float32Array(3 + 2 * 20).fill(-1);
  session.render(request(2, 2, [0]), out, 3, 20);
  session.close();
  const written = [...out.keys()].filter((i) => out[i] !== -1);
  expect(written).toEqual([3, 4, 5, 6, 7, 8, 9, 10, 23, 24, 25, 26, 27, 28, 29, 30]);
});

test('nearer layers come first in the list: half over full leaves half of what is behind', () => {
  const session = kernels.openSlices([still(3, 3, [0.5, 0, 0, 0.5]), still(3, 3, [0, 0, 1, 1])]);
  const out = new Float32Array(9 * 4);
  session.render(request(3, 3, [0, 1]), out, 0, 12);
  expect([...out.slice(16, 20)]).toEqual([0.5, 0, 0.5, 1]);
  session.render(request(3, 3, [1, 0]), out, 0, 12);
  expect([...out.slice(16, 20)]).toEqual([0, 0, 1, 1]);
  session.render(request(3, 3, []), out, 0, 12);
  expect([...out.slice(16, 20)]).toEqual([0, 0, 0, 0]);
  session.close();
});

test('a path that is not a number leaves the layer out instead of reading anywhere', () => {
  const layer = still(3, 3, [1, 1, 1, 1]);
  layer.path.nodes.fill(NaN);
  const session = kernels.openSlices([layer]);
  const out = new Float32Array(36).fill(5);
  session.render({ ...request(3, 3, [0]), times: Float32Array.of(0.5) }, out, 0, 12);
  session.close();
  expect(new Set(out)).toEqual(new Set([0]));
});
