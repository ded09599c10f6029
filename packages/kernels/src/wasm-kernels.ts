import {
  NODE_FLOATS,
  RECORD_WORDS,
  type AperturePicture,
  type ApertureSession,
  type ChunkMemory,
  type ChunkRows,
  type Kernels,
  type SliceLayer,
  type SliceRequest,
  type SliceSession,
} from './kernels';

interface Exports {
  readonly memory: WebAssembly.Memory;
  heapStart(): number;
  undoPredictor(ptr: number, length: number): void;
  applyPredictor(src: number, out: number, length: number): void;
  deinterleave(src: number, out: number, length: number): void;
  splitHalvesToFloat(low: number, high: number, out: number, count: number): void;
  joinBytes(low: number, high: number, out: number, count: number): void;
  lookUp(data: number, count: number, table: number): void;
  halfToFloat(src: number, out: number, count: number): void;
  floatToHalf(src: number, out: number, count: number): void;
  huffmanWorkBytes(): number;
  undoHuffman(src: number, bytes: number, out: number, count: number, work: number): number;
  undoWavelet(data: number, width: number, stepX: number, height: number, stepY: number, maxValue: number): void;
  blockWorkBytes(): number;
  undoBlocks(ac: number, acCount: number, dc: number, components: number, width: number, height: number, out: number, work: number): number;
  renderSpan(
    layers: number,
    layerCount: number,
    times: number,
    weights: number,
    slices: number,
    x0: number,
    x1: number,
    y: number,
    arc: number,
    cubic: number,
    out: number,
    work: number,
  ): void;
  sliceWorkBytes(layerCount: number, slices: number): number;
  gradePixels(
    rgba: number,
    count: number,
    tables: number,
    entries: number,
    firstStep: number,
    shift: number,
    saturation: number,
    hasLuma: number,
  ): void;
  gatherAperture(
    rgba: number,
    radii: number,
    shares: number,
    width: number,
    height: number,
    places: number,
    count: number,
    margin: number,
    x0: number,
    x1: number,
    y0: number,
    y1: number,
    out: number,
    outStride: number,
  ): void;
}

/** Memory is a stack: what is allocated after a mark is given back by releasing the mark. */
class Stack {
  private top: number;
  constructor(
    private readonly memory: WebAssembly.Memory,
    start: number,
  ) {
    this.top = start;
  }
  mark(): number {
    return this.top;
  }
  release(mark: number): void {
    this.top = mark;
  }
  /** 16-byte aligned. Throws RangeError when the 4 GiB of a 32-bit memory are used up. */
  allocate(bytes: number): number {
    const at = this.top;
    const end = at + ((bytes + 15) & ~15) + 16;
    const missing = end - this.memory.buffer.byteLength;
    if (missing > 0) this.memory.grow(Math.ceil(missing / 65536));
    this.top = end;
    return at;
  }
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
  const wasm = instance.exports as unknown as Exports;
  const stack = new Stack(wasm.memory, wasm.heapStart());
  const bytes = (at: number, length: number) => new Uint8Array(wasm.memory.buffer, at, length);
  const floats = (at: number, length: number) => new Float32Array(wasm.memory.buffer, at, length);

  /** Copies in, runs, copies out, and leaves the stack as it was. */
  function transform(src: ArrayBufferView, out: ArrayBufferView, run: (src: number, out: number) => void): void {
    const mark = stack.mark();
    try {
      const from = stack.allocate(src.byteLength);
      const to = stack.allocate(out.byteLength);
      bytes(from, src.byteLength).set(new Uint8Array(src.buffer, src.byteOffset, src.byteLength));
      run(from, to);
      new Uint8Array(out.buffer, out.byteOffset, out.byteLength).set(bytes(to, out.byteLength));
    } finally {
      stack.release(mark);
    }
  }
  function sameLength(a: number, b: number): void {
    if (a !== b) throw new TypeError(`kernel arrays differ in length: ${a} and ${b}`);
  }

  return {
    predictBytes(raw, out) {
      sameLength(raw.length, out.length);
      const mark = stack.mark();
      const split = stack.allocate(raw.length);
      try {
        transform(raw, out, (from, to) => {
          wasm.deinterleave(from, split, raw.length);
          wasm.applyPredictor(split, to, raw.length);
        });
      } finally {
        stack.release(mark);
      }
    },
    halfToFloat(src, out) {
      sameLength(src.length, out.length);
      transform(src, out, (from, to) => wasm.halfToFloat(from, to, src.length));
    },
    floatToHalf(src, out) {
      sameLength(src.length, out.length);
      transform(src, out, (from, to) => wasm.floatToHalf(from, to, src.length));
    },
    openChunk: (size) => openChunk(wasm, stack, bytes, floats, size),
    openSlices(layers) {
      return openSession(wasm, stack, bytes, floats, layers);
    },
    grade(rgba, { firstStep, shift, channels, saturation, luma }) {
      const all = [...channels, luma ?? channels[0]],
        { length } = channels[0].values;
      if (rgba.length % 4 !== 0 || all.some((t) => t.values.length !== length)) throw new TypeError('grade tables differ in length');
      const mark = stack.mark();
      try {
        const at = stack.allocate(rgba.byteLength),
          tables = stack.allocate(32 + all.length * length * 4);
        floats(at, rgba.length).set(rgba);
        const words = floats(tables, 8 + all.length * length);
        all.forEach((table, n) => {
          words[n] = table.atZero;
          words[4 + n] = table.below;
          words.set(table.values, 8 + n * length);
        });
        wasm.gradePixels(at, rgba.length / 4, tables, length - 1, firstStep, shift, saturation, luma === null ? 0 : 1);
        rgba.set(floats(at, rgba.length));
      } finally {
        stack.release(mark);
      }
    },
    openAperture(picture) {
      return openAperture(wasm, stack, bytes, floats, picture);
    },
  };
}

function openChunk(
  wasm: Exports,
  stack: Stack,
  bytes: (at: number, n: number) => Uint8Array,
  floats: (at: number, n: number) => Float32Array,
  size: number,
): ChunkMemory {
  const mark = stack.mark();
  const base = stack.allocate(size);
  const inside = (at: number, length: number): number => {
    if (at < 0 || length < 0 || at + length > size) throw new TypeError('a step leaves its chunk');
    return base + at;
  };
  /** Runs with scratch that is given back. */
  const scratch = <T>(work: (allocate: (bytes: number) => number) => T): T => {
    const inner = stack.mark();
    try {
      return work((n) => stack.allocate(n));
    } finally {
      stack.release(inner);
    }
  };
  const place = (allocate: (bytes: number) => number, data: ArrayBufferView): number => {
    const at = allocate(data.byteLength);
    bytes(at, data.byteLength).set(new Uint8Array(data.buffer, data.byteOffset, data.byteLength));
    return at;
  };
  const middle = (size + 1) >> 1;
  /** Converts all rows into scratch, then copies them to where they belong. */
  function readRows(
    rows: ChunkRows,
    sampleBytes: number,
    out: Float32Array | Uint32Array,
    stride: number,
    one: (from: number, to: number) => void,
  ): void {
    const { offsets, samples } = rows;
    for (const offset of offsets) inside(offset, samples * sampleBytes);
    scratch((allocate) => {
      const to = allocate(offsets.length * samples * 4);
      offsets.forEach((offset, row) => one(offset, to + row * samples * 4));
      const all =
        out instanceof Float32Array
          ? floats(to, offsets.length * samples)
          : new Uint32Array(wasm.memory.buffer, to, offsets.length * samples);
      if (stride === samples) out.set(all);
      else for (let row = 0; row < offsets.length; row++) out.set(all.subarray(row * samples, (row + 1) * samples), row * stride);
    });
  }
  return {
    put: (data, at) => bytes(inside(at, data.length), data.length).set(data),
    take: (at, out) => out.set(bytes(inside(at, out.length), out.length)),
    undoPredictor: (length) => wasm.undoPredictor(inside(0, length), length),
    undoHuffman: (packed, at, count) =>
      scratch(
        (allocate) =>
          wasm.undoHuffman(place(allocate, packed), packed.length, inside(at, count * 2), count, allocate(wasm.huffmanWorkBytes())) === 0,
      ),
    undoWavelet(at, { width, stepX, height, stepY }, maxValue) {
      if (width < 1 || height < 1) throw new TypeError('a wavelet needs samples');
      wasm.undoWavelet(inside(at, 2 * ((width - 1) * stepX + (height - 1) * stepY + 1)), width, stepX, height, stepY, maxValue);
    },
    lookUp(at, count, table) {
      if (table.length !== 65536) throw new TypeError('a table has 65536 entries');
      scratch((allocate) => wasm.lookUp(inside(at, count * 2), count, place(allocate, table)));
    },
    undoBlocks({ ac, dc, components, width, height }, at) {
      if (dc.length !== Math.ceil(width / 8) * Math.ceil(height / 8) * components) throw new TypeError('one dc value a block is needed');
      const to = inside(at, width * height * components * 2);
      return scratch((allocate) =>
        wasm.undoBlocks(
          place(allocate, ac),
          ac.length,
          place(allocate, dc),
          components,
          width,
          height,
          to,
          allocate(wasm.blockWorkBytes()),
        ),
      );
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
        else bytes(to, rows.samples * 4).set(bytes(base + offset, rows.samples * 4));
      });
    },
    close: () => stack.release(mark),
  };
}

function openSession(
  wasm: Exports,
  stack: Stack,
  bytes: (at: number, n: number) => Uint8Array,
  floats: (at: number, n: number) => Float32Array,
  layers: readonly SliceLayer[],
): SliceSession {
  const mark = stack.mark();
  const place = (data: Float32Array): number => {
    const at = stack.allocate(data.byteLength);
    floats(at, data.length).set(data);
    return at;
  };
  const records = layers.map((layer) => {
    const { colourBox: c, path: p } = layer;
    if (layer.colour.length !== c.width * c.height * 4) throw new TypeError('layer colour does not fill its box');
    if (p.across < 2 || p.down < 2 || p.nodes.length !== p.across * p.down * p.orders * NODE_FLOATS)
      throw new TypeError('layer path does not fill its grid');
    const record = new Int32Array(RECORD_WORDS);
    record.set([place(layer.colour), c.x0, c.y0, c.width, c.height, place(p.nodes), 0, 0, p.across, p.down, p.orders]);
    new Float32Array(record.buffer).set([p.x0, p.y0], 6);
    return record;
  });
  return {
    render(request: SliceRequest, out, outOffset, outStride) {
      const { box, times, weights } = request;
      sameSlices(times, weights);
      const inner = stack.mark();
      try {
        const table = new Int32Array(request.layers.length * RECORD_WORDS);
        request.layers.forEach((index, i) => table.set(records[index] ?? [], i * RECORD_WORDS));
        const tableAt = stack.allocate(table.byteLength);
        const timesAt = place(Float32Array.from({ length: (times.length + 3) & ~3 }, (_, i) => times[Math.min(i, times.length - 1)]));
        const weightsAt = place(weights);
        const rowAt = stack.allocate(box.width * 16);
        const workAt = stack.allocate(wasm.sliceWorkBytes(request.layers.length, times.length));
        bytes(tableAt, table.byteLength).set(new Uint8Array(table.buffer));
        for (let row = 0; row < box.height; row++) {
          wasm.renderSpan(
            tableAt,
            request.layers.length,
            timesAt,
            weightsAt,
            times.length,
            box.x0,
            box.x0 + box.width,
            box.y0 + row,
            request.path === 'arc' ? 1 : 0,
            request.filter === 'cubic' ? 1 : 0,
            rowAt,
            workAt,
          );
          out.set(floats(rowAt, box.width * 4), outOffset + row * outStride);
        }
      } finally {
        stack.release(inner);
      }
    },
    close() {
      stack.release(mark);
    },
  };
}

function openAperture(
  wasm: Exports,
  stack: Stack,
  bytes: (at: number, n: number) => Uint8Array,
  floats: (at: number, n: number) => Float32Array,
  { width, height, rgba, radii, shares, places }: AperturePicture,
): ApertureSession {
  const count = width * height;
  if (rgba.length !== count * 4 || radii.length !== count || shares.length !== count)
    throw new TypeError('the picture, its radii and its shares differ in size');
  if (places.dx.length !== places.from.length || places.dy.length !== places.from.length)
    throw new TypeError('every place needs a way and a radius');
  const mark = stack.mark();
  const place = (data: Float32Array): number => {
    const at = stack.allocate(data.byteLength);
    floats(at, data.length).set(data);
    return at;
  };
  const rgbaAt = place(rgba),
    radiiAt = place(radii),
    sharesAt = place(shares);
  const table = new Int32Array(places.from.length * 4);
  let margin = 0;
  for (let n = 0; n < places.from.length; n++) {
    const dx = places.dx[n],
      dy = places.dy[n];
    table.set([dx, dy, dy * width + dx], n * 4);
    new Float32Array(table.buffer)[n * 4 + 3] = places.from[n];
    margin = Math.max(margin, Math.abs(dx), Math.abs(dy));
  }
  const tableAt = stack.allocate(table.byteLength);
  bytes(tableAt, table.byteLength).set(new Uint8Array(table.buffer));
  return {
    gather(box, wanted, out, outOffset, outStride) {
      if (box.x0 < 0 || box.y0 < 0 || box.x0 + box.width > width || box.y0 + box.height > height)
        throw new TypeError('the box leaves the picture');
      const inner = stack.mark();
      try {
        const to = stack.allocate(box.width * box.height * 16);
        wasm.gatherAperture(
          rgbaAt,
          radiiAt,
          sharesAt,
          width,
          height,
          tableAt,
          Math.min(wanted, places.from.length),
          margin,
          box.x0,
          box.x0 + box.width,
          box.y0,
          box.y0 + box.height,
          to,
          box.width * 16,
        );
        for (let row = 0; row < box.height; row++) out.set(floats(to + row * box.width * 16, box.width * 4), outOffset + row * outStride);
      } finally {
        stack.release(inner);
      }
    },
    close: () => stack.release(mark),
  };
}

function sameSlices(times: Float32Array, weights: Float32Array): void {
  if (times.length !== weights.length) throw new TypeError('every time slice needs one weight');
}
