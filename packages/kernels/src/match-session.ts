import { MATCH_TAPS, pyramidSide, SCORE_NUMBERS, type MatchSession, type PyramidRequest } from './kernels';
import type { WasmExports } from './wasm-exports';
import type { WasmHeap } from './wasm-heap';

/** Bytes of a patch, and of what is read beyond the last point's vectors, as assembly/match.ts has it. */
const PATCH_BYTES = 228,
  BEYOND_BYTES = 8;

/** A level of a pyramid in the kernels' memory. */
interface Level {
  readonly width: number;
  readonly height: number;
  readonly at: number;
}

/** Places the pictures once, for many sets of points. TypeError when sizes do not agree. */
export function openMatch(wasm: WasmExports, heap: WasmHeap, requests: readonly PyramidRequest[]): MatchSession {
  for (const { width, height, rgba } of requests)
    if (rgba.length !== width * height * 4) throw new TypeError('a picture to match has another size than its data');
  const mark = heap.mark();
  const pictures = requests.flatMap((r) => placePyramid(wasm, heap, r));
  const placeVectors = (vectors: Float32Array) => {
    const address = heap.place(vectors);
    heap.allocate(BEYOND_BYTES);
    return address;
  };
  return {
    picture(n) {
      const { width, height, at } = pictures[n];
      return { width, height, data: heap.floats(at, width * height * 4) };
    },
    match(from, to, { places, vectors, step, scales }, out) {
      const { width, height } = pictures[from],
        count = places.length / 2,
        scaleCount = scales.length / 2;
      if (pictures[to].width !== width || pictures[to].height !== height) throw new TypeError('pictures to match differ in size');
      if (vectors.length !== count * MATCH_TAPS * 2 || out.length !== count * scaleCount)
        throw new TypeError('points to match differ in number');
      heap.scratch(() => {
        const pointsAt = heap.place(places),
          vectorsAt = placeVectors(vectors),
          scalesAt = heap.place(scales),
          patch = heap.allocate(PATCH_BYTES),
          results = heap.allocate(out.byteLength);
        wasm.matchPoints(
          pictures[from].at,
          pictures[to].at,
          width,
          height,
          pointsAt,
          count,
          vectorsAt,
          scalesAt,
          scaleCount,
          step,
          patch,
          results,
        );
        out.set(heap.floats(results, out.length));
      });
    },
    score({ now, before, after }, { places, vectors, scales, tolerance, base }, out) {
      const { width, height } = pictures[now],
        count = places.length / 2,
        scaleCount = scales.length / 2;
      if ([before, after].some((p) => p !== null && (pictures[p].width !== width || pictures[p].height !== height)))
        throw new TypeError('pictures to match differ in size');
      if (
        [vectors.before, vectors.after].some((v) => v.length !== count * MATCH_TAPS * 2) ||
        [tolerance, ...base].some((v) => v.length !== count) ||
        out.length !== scaleCount * SCORE_NUMBERS
      )
        throw new TypeError('points to match differ in number');
      heap.scratch(() => {
        const pointsAt = heap.place(places),
          beforeAt = placeVectors(vectors.before),
          afterAt = vectors.after === vectors.before ? beforeAt : placeVectors(vectors.after),
          scalesAt = heap.place(scales),
          toleranceAt = heap.place(tolerance),
          baseAt = heap.allocate(count * 12),
          patch = heap.allocate(PATCH_BYTES),
          results = heap.place(out);
        base.forEach((numbers, n) => heap.floats(baseAt + n * count * 4, count).set(numbers));
        wasm.scorePoints(
          pictures[now].at,
          before === null ? 0 : pictures[before].at,
          after === null ? 0 : pictures[after].at,
          width,
          height,
          pointsAt,
          count,
          beforeAt,
          afterAt,
          scalesAt,
          scaleCount,
          toleranceAt,
          baseAt,
          patch,
          results,
        );
        out.set(heap.floats(results, out.length));
      });
    },
    close: () => heap.release(mark),
  };
}

function placePyramid(wasm: WasmExports, heap: WasmHeap, { width, height, rgba, reduced, levels, most }: PyramidRequest): Level[] {
  const out: Level[] = [];
  for (let n = 0; n < levels; n++) {
    const w = n === 0 ? pyramidSide(width, reduced) : pyramidSide(out[n - 1].width, 2),
      h = n === 0 ? pyramidSide(height, reduced) : pyramidSide(out[n - 1].height, 2);
    out.push({ width: w, height: h, at: heap.allocate(w * h * 16) });
  }
  const [first] = out;
  heap.scratch(() => {
    const from = heap.place(rgba),
      bytes = first.width * first.height * 16,
      raw = heap.allocate(bytes),
      along = heap.allocate(bytes);
    wasm.lightOf(from, width, height, reduced, raw, first.width, first.height, most);
    wasm.softenPicture(raw, first.width, first.height, along, first.at);
  });
  for (let n = 1; n < levels; n++) {
    const [from, to] = [out[n - 1], out[n]];
    wasm.halvePicture(from.at, from.width, from.height, to.at, to.width, to.height);
  }
  return out;
}
