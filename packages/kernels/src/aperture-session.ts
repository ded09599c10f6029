import type { AperturePicture, ApertureSession } from './kernels';
import type { WasmExports } from './wasm-exports';
import type { WasmHeap } from './wasm-heap';

/** The places of the aperture as `assembly/aperture.ts` reads them (dx, dy, way in pixels, radius), and the farthest way in pixels. */
function placeTable({ dx, dy, from }: AperturePicture['places'], width: number): { readonly table: Int32Array; readonly margin: number } {
  if (dx.length !== from.length || dy.length !== from.length) throw new TypeError('every place needs a way and a radius');
  const table = new Int32Array(from.length * 4),
    radii = new Float32Array(table.buffer);
  let margin = 0;
  for (let n = 0; n < from.length; n++) {
    table.set([dx[n], dy[n], dy[n] * width + dx[n]], n * 4);
    radii[n * 4 + 3] = from[n];
    margin = Math.max(margin, Math.abs(dx[n]), Math.abs(dy[n]));
  }
  return { table, margin };
}

/** Places the picture once, for many boxes gathered from it. TypeError when its parts differ in size or a box leaves it. */
export function openAperture(
  wasm: WasmExports,
  heap: WasmHeap,
  { width, height, rgba, radii, shares, places }: AperturePicture,
): ApertureSession {
  const count = width * height;
  if (rgba.length !== count * 4 || radii.length !== count || shares.length !== count)
    throw new TypeError('the picture, its radii and its shares differ in size');
  const { table, margin } = placeTable(places, width);
  const mark = heap.mark();
  const rgbaAt = heap.place(rgba),
    radiiAt = heap.place(radii),
    sharesAt = heap.place(shares),
    tableAt = heap.place(table);
  return {
    gather(box, wanted, out, outOffset, outStride) {
      const x1 = box.x0 + box.width,
        y1 = box.y0 + box.height;
      if (box.x0 < 0 || box.y0 < 0 || x1 > width || y1 > height) throw new TypeError('the box leaves the picture');
      heap.scratch(() => {
        const to = heap.allocate(box.width * box.height * 16),
          used = Math.min(wanted, places.from.length);
        wasm.gatherAperture(rgbaAt, radiiAt, sharesAt, width, height, tableAt, used, margin, box.x0, x1, box.y0, y1, to, box.width * 16);
        for (let row = 0; row < box.height; row++)
          out.set(heap.floats(to + row * box.width * 16, box.width * 4), outOffset + row * outStride);
      });
    },
    close: () => heap.release(mark),
  };
}
