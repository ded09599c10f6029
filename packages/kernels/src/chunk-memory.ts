import type { ChunkMemory, ChunkRows } from './kernels';
import type { WasmExports } from './wasm-exports';
import type { WasmHeap } from './wasm-heap';

/** A chunk of `size` bytes in the kernels' memory, unpacked step by step where it lies. TypeError when a step leaves the chunk. */
export function openChunk(wasm: WasmExports, heap: WasmHeap, size: number): ChunkMemory {
  const mark = heap.mark();
  const base = heap.allocate(size);
  const middle = (size + 1) >> 1;
  const inside = (at: number, length: number): number => {
    if (at < 0 || length < 0 || at + length > size) throw new TypeError('a step leaves its chunk');
    return base + at;
  };

  /** Converts all rows into scratch, then copies them to where they belong. */
  function readRows(
    { offsets, samples }: ChunkRows,
    sampleBytes: number,
    out: Float32Array | Uint32Array,
    stride: number,
    convert: (from: number, to: number) => void,
  ): void {
    for (const offset of offsets) inside(offset, samples * sampleBytes);
    heap.scratch(() => {
      const to = heap.allocate(offsets.length * samples * 4);
      offsets.forEach((offset, row) => convert(offset, to + row * samples * 4));
      const all = out instanceof Float32Array ? heap.floats(to, offsets.length * samples) : heap.words(to, offsets.length * samples);
      if (stride === samples) out.set(all);
      else for (let row = 0; row < offsets.length; row++) out.set(all.subarray(row * samples, (row + 1) * samples), row * stride);
    });
  }

  return {
    put: (data, at) => heap.bytes(inside(at, data.length), data.length).set(data),
    take: (at, out) => out.set(heap.bytes(inside(at, out.length), out.length)),
    undoPredictor: (length) => wasm.undoPredictor(inside(0, length), length),
    undoHuffman: (packed, at, count) =>
      heap.scratch(() => {
        const from = heap.place(packed);
        return wasm.undoHuffman(from, packed.length, inside(at, count * 2), count, heap.allocate(wasm.huffmanWorkBytes())) === 0;
      }),
    undoWavelet(at, { width, stepX, height, stepY }, maxValue) {
      if (width < 1 || height < 1) throw new TypeError('a wavelet needs samples');
      wasm.undoWavelet(inside(at, 2 * ((width - 1) * stepX + (height - 1) * stepY + 1)), width, stepX, height, stepY, maxValue);
    },
    lookUp(at, count, table) {
      if (table.length !== 65536) throw new TypeError('a table has 65536 entries');
      heap.scratch(() => wasm.lookUp(inside(at, count * 2), count, heap.place(table)));
    },
    undoBlocks({ ac, dc, components, width, height }, at) {
      if (dc.length !== Math.ceil(width / 8) * Math.ceil(height / 8) * components) throw new TypeError('one dc value a block is needed');
      const to = inside(at, width * height * components * 2);
      return heap.scratch(() => {
        const acAt = heap.place(ac),
          dcAt = heap.place(dc),
          work = heap.allocate(wasm.blockWorkBytes());
        return wasm.undoBlocks(acAt, ac.length, dcAt, components, width, height, to, work);
      });
    },
    readHalves(rows, out, stride) {
      readRows(rows, 2, out, stride, (offset, to) =>
        rows.split
          ? wasm.splitHalvesToFloat(base + offset / 2, base + middle + offset / 2, to, rows.samples)
          : wasm.halfToFloat(base + offset, to, rows.samples),
      );
    },
    readWords(rows, out, stride) {
      readRows(rows, 4, out, stride, (offset, to) => {
        if (rows.split) wasm.joinBytes(base + offset / 2, base + middle + offset / 2, to, rows.samples * 2);
        else heap.bytes(to, rows.samples * 4).set(heap.bytes(base + offset, rows.samples * 4));
      });
    },
    close: () => heap.release(mark),
  };
}
