import { NODE_FLOATS, RECORD_WORDS, type SliceLayer, type SliceSession } from './kernels';
import type { WasmExports } from './wasm-exports';
import type { WasmHeap } from './wasm-heap';

/** Places a layer's record as `assembly/slices.ts` reads it, its colour and path. TypeError when they do not fill their box or grid. */
function placeLayer(wasm: WasmExports, heap: WasmHeap, { colour, colourBox: c, path: p }: SliceLayer, recordAt: number): void {
  if (colour.length !== c.width * c.height * 4) throw new TypeError('layer colour does not fill its box');
  if (p.across < 2 || p.down < 2 || p.nodes.length !== p.across * p.down * p.orders * NODE_FLOATS)
    throw new TypeError('layer path does not fill its grid');
  const record = new Int32Array(RECORD_WORDS);
  const colourAt = heap.place(colour);
  record.set([colourAt, c.x0, c.y0, c.width, c.height, heap.place(p.nodes), 0, 0, p.across, p.down, p.orders]);
  const places = new Float32Array(record.buffer);
  places.set([p.x0, p.y0], 6);
  places.set([p.stepPx, 1 / p.stepPx], 21);
  record[24] = p.isOneFlow ? 1 : 0;
  const boxAt = heap.allocate(16);
  if (wasm.findHighlights(colourAt, c.width, c.height, boxAt) !== 0) {
    const [x0, y0, width, height] = heap.words(boxAt, 4);
    const lightsAt = heap.allocate(width * height * 16);
    wasm.takeHighlights(colourAt, c.width, c.height, boxAt, lightsAt);
    record.set([lightsAt, x0, y0, width, height], 11);
  }
  heap.words(recordAt, RECORD_WORDS).set(record);
  const cellBytes = wasm.layOutCells(recordAt);
  if (cellBytes > 0) wasm.measureCells(recordAt, heap.allocate(cellBytes));
  const nearBytes = wasm.nearBytes(recordAt);
  if (nearBytes > 0) {
    const mapAt = heap.allocate(nearBytes);
    heap.scratch(() => wasm.mapNear(recordAt, mapAt, heap.allocate(wasm.nearWorkBytes(recordAt))));
  }
}

/** Of what colours and paths take, with cells and maps; for what is more, memory grows again. */
const OVERHEAD = 1.08;

/** Places the layers once, for many boxes rendered from them. */
export function openSlices(wasm: WasmExports, heap: WasmHeap, layers: readonly SliceLayer[]): SliceSession {
  const mark = heap.mark();
  heap.reserve(layers.reduce((sum, { colour, path }) => sum + OVERHEAD * (colour.byteLength + path.nodes.byteLength), 0));
  const records = heap.allocate(layers.length * RECORD_WORDS * 4);
  layers.forEach((layer, i) => placeLayer(wasm, heap, layer, records + i * RECORD_WORDS * 4));
  return {
    render({ box, times, weights, parts, layers: shown, path, filter }, out, outOffset, outStride) {
      if (times.length !== weights.length) throw new TypeError('every time slice needs one weight');
      const pixels = box.width * box.height;
      if (parts && (parts.ends.at(-1) !== times.length || parts.shares.length !== parts.ends.length * pixels))
        throw new TypeError('every part of the exposure needs its slices and a share a pixel');
      heap.scratch(() => {
        const tableAt = heap.allocate(shown.length * RECORD_WORDS * 4),
          table = heap.words(tableAt, shown.length * RECORD_WORDS);
        shown.forEach((index, i) => table.set(heap.words(records + index * RECORD_WORDS * 4, RECORD_WORDS), i * RECORD_WORDS));
        // Four times are read at once: the last one fills up.
        const fours = new Float32Array((times.length + 3) & ~3).fill(times[times.length - 1]);
        fours.set(times);
        const timesAt = heap.place(fours);
        const weightsAt = heap.place(weights);
        const endsAt = heap.place(parts ? parts.ends : Int32Array.of(times.length));
        const sharesAt = heap.place(parts ? parts.shares : new Float32Array(pixels).fill(1));
        const outAt = heap.allocate(pixels * 16);
        wasm.renderBox(
          tableAt,
          shown.length,
          timesAt,
          weightsAt,
          times.length,
          endsAt,
          parts ? parts.ends.length : 1,
          sharesAt,
          box.x0,
          box.y0,
          box.width,
          box.height,
          path === 'arc' ? 1 : 0,
          filter === 'cubic' ? 1 : 0,
          outAt,
          heap.allocate(wasm.boxWorkBytes(times.length, shown.length)),
        );
        const made = heap.floats(outAt, pixels * 4);
        const length = box.width * 4;
        for (let row = 0; row < box.height; row++) {
          const from = row * length,
            to = outOffset + row * outStride;
          if (parts) for (let i = 0; i < length; i++) out[to + i] += made[from + i];
          else out.set(made.subarray(from, from + length), to);
        }
      });
    },
    close: () => heap.release(mark),
  };
}
