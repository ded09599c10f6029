import { openAperture } from './aperture-session';
import { openChunk } from './chunk-memory';
import type { Kernels } from './kernels';
import { openMatch } from './match-session';
import { openSlices } from './slice-session';
import type { WasmExports } from './wasm-exports';
import { WasmHeap } from './wasm-heap';

function sameLength(a: number, b: number): void {
  if (a !== b) throw new TypeError(`kernel arrays differ in length: ${a} and ${b}`);
}

/** Compiles nothing: give it a module that the host compiled from `kernels.wasm`. */
export async function instantiateKernels(module: WebAssembly.Module): Promise<Kernels> {
  const instance = await WebAssembly.instantiate(module, {
    env: {
      abort: () => {
        throw new Error('kernel aborted');
      },
    },
  });
  const wasm = instance.exports as unknown as WasmExports;
  const heap = new WasmHeap(wasm);

  /** Copies in, runs and copies out. */
  function transform(src: ArrayBufferView, out: ArrayBufferView, run: (src: number, out: number) => void): void {
    heap.scratch(() => {
      const from = heap.place(src),
        to = heap.allocate(out.byteLength);
      run(from, to);
      new Uint8Array(out.buffer, out.byteOffset, out.byteLength).set(heap.bytes(to, out.byteLength));
    });
  }

  return {
    predictBytes(raw, out) {
      sameLength(raw.length, out.length);
      transform(raw, out, (from, to) =>
        heap.scratch(() => {
          const split = heap.allocate(raw.length);
          wasm.deinterleave(from, split, raw.length);
          wasm.applyPredictor(split, to, raw.length);
        }),
      );
    },
    halfToFloat(src, out) {
      sameLength(src.length, out.length);
      transform(src, out, (from, to) => wasm.halfToFloat(from, to, src.length));
    },
    floatToHalf(src, out) {
      sameLength(src.length, out.length);
      transform(src, out, (from, to) => wasm.floatToHalf(from, to, src.length));
    },
    grade(rgba, { firstStep, shift, channels, saturation, luma }) {
      const all = [...channels, luma ?? channels[0]],
        { length } = channels[0].values;
      if (rgba.length % 4 !== 0 || all.some((t) => t.values.length !== length)) throw new TypeError('grade tables differ in length');
      const tables = new Float32Array(8 + all.length * length);
      all.forEach((table, n) => {
        tables[n] = table.atZero;
        tables[4 + n] = table.below;
        tables.set(table.values, 8 + n * length);
      });
      heap.scratch(() => {
        const at = heap.place(rgba),
          tablesAt = heap.place(tables);
        wasm.gradePixels(at, rgba.length / 4, tablesAt, length - 1, firstStep, shift, saturation, luma === null ? 0 : 1);
        rgba.set(heap.floats(at, rgba.length));
      });
    },
    openChunk: (size) => openChunk(wasm, heap, size),
    openSlices: (layers) => openSlices(wasm, heap, layers),
    openAperture: (picture) => openAperture(wasm, heap, picture),
    openMatch: (pictures) => openMatch(wasm, heap, pictures),
  };
}
