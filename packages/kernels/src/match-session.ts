import { MATCH_TAPS, type MatchPicture, type MatchSession } from './kernels';
import type { WasmExports } from './wasm-exports';
import type { WasmHeap } from './wasm-heap';

/** Bytes of a place in a patch, as assembly/match.ts keeps it. */
const PLACE_BYTES = 32;

/** Places the pictures once, for many sets of points. TypeError when sizes do not agree. */
export function openMatch(wasm: WasmExports, heap: WasmHeap, pictures: readonly MatchPicture[]): MatchSession {
  for (const { width, height, data } of pictures)
    if (width < 2 || height < 2 || data.length !== width * height * 4)
      throw new TypeError('a picture to match has another size than its data');
  const mark = heap.mark();
  const at = pictures.map((p) => heap.place(p.data));
  return {
    match(from, to, { places, vectors, step, scales }, out) {
      const { width, height } = pictures[from],
        count = places.length / 2,
        scaleCount = scales.length / 2;
      if (pictures[to].width !== width || pictures[to].height !== height) throw new TypeError('pictures to match differ in size');
      if (vectors.length !== count * MATCH_TAPS * 2 || out.length !== count * scaleCount)
        throw new TypeError('points to match differ in number');
      heap.scratch(() => {
        const pointsAt = heap.place(places),
          vectorsAt = heap.place(vectors),
          scalesAt = heap.place(scales),
          patch = heap.allocate(MATCH_TAPS * PLACE_BYTES),
          results = heap.allocate(out.byteLength);
        wasm.matchPoints(at[from], at[to], width, height, pointsAt, count, vectorsAt, scalesAt, scaleCount, step, patch, results);
        out.set(heap.floats(results, out.length));
      });
    },
    close: () => heap.release(mark),
  };
}
