import { RECORD_WORDS, type Kernels, type SliceLayer, type SliceRequest, type SliceSession } from './kernels';

interface Exports {
  readonly memory: WebAssembly.Memory;
  heapStart(): number;
  undoPredictor(ptr: number, length: number): void;
  applyPredictor(src: number, out: number, length: number): void;
  interleave(src: number, out: number, length: number): void;
  deinterleave(src: number, out: number, length: number): void;
  halfToFloat(src: number, out: number, count: number): void;
  floatToHalf(src: number, out: number, count: number): void;
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
    reconstructBytes(packed, out) {
      sameLength(packed.length, out.length);
      transform(packed, out, (from, to) => {
        wasm.undoPredictor(from, packed.length);
        wasm.interleave(from, to, packed.length);
      });
    },
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
    openSlices(layers) {
      return openSession(wasm, stack, bytes, floats, layers);
    },
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
    const { colourBox: c, pathBox: p } = layer;
    if (layer.colour.length !== c.width * c.height * 4) throw new TypeError('layer colour does not fill its box');
    if (layer.path.length !== p.width * p.height * 8) throw new TypeError('layer path does not fill its box');
    return [place(layer.colour), c.x0, c.y0, c.width, c.height, place(layer.path), p.x0, p.y0, p.width, p.height, 0, 0];
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
        const timesAt = place(times);
        const weightsAt = place(weights);
        const rowAt = stack.allocate(box.width * 16);
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

function sameSlices(times: Float32Array, weights: Float32Array): void {
  if (times.length !== weights.length) throw new TypeError('every time slice needs one weight');
}
