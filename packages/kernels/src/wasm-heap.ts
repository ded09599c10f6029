import type { WasmExports } from './wasm-exports';

/** The kernels' memory as a stack: what is allocated after a mark is given back by releasing the mark. Addresses are bytes. */
export class WasmHeap {
  private top: number;
  private readonly memory: WebAssembly.Memory;

  constructor(wasm: WasmExports) {
    this.memory = wasm.memory;
    this.top = wasm.heapStart();
  }

  mark(): number {
    return this.top;
  }

  release(mark: number): void {
    this.top = mark;
  }

  /** Runs with allocations that are given back after it, also when it throws. */
  scratch<T>(work: () => T): T {
    const mark = this.top;
    try {
      return work();
    } finally {
      this.top = mark;
    }
  }

  /** 16-byte aligned, not cleared. Throws RangeError when the 4 GiB of a 32-bit memory are used up. */
  allocate(bytes: number): number {
    const at = this.top;
    const end = at + ((bytes + 15) & ~15) + 16;
    const size = this.memory.buffer.byteLength;
    if (end > size) this.grow(end - size, size);
    this.top = end;
    return at;
  }

  /** Grows once to what many allocations will need. */
  reserve(bytes: number): void {
    const missing = this.top + bytes - this.memory.buffer.byteLength;
    if (missing > 0) this.memory.grow(Math.ceil(missing / 65536));
  }

  /** By a quarter at least: growing takes long, as the collector looks at everything each time. */
  private grow(missing: number, size: number): void {
    const pages = (bytes: number) => Math.ceil(bytes / 65536);
    try {
      this.memory.grow(pages(Math.max(missing, size / 4)));
    } catch {
      this.memory.grow(pages(missing));
    }
  }

  /** Allocates room for `data`, of any number type, and copies it there. */
  place(data: ArrayBufferView): number {
    const at = this.allocate(data.byteLength);
    this.bytes(at, data.byteLength).set(new Uint8Array(data.buffer, data.byteOffset, data.byteLength));
    return at;
  }

  /** Views hold until the next allocation: memory that grows is another buffer. */
  bytes(at: number, length: number): Uint8Array {
    return new Uint8Array(this.memory.buffer, at, length);
  }

  words(at: number, length: number): Uint32Array {
    return new Uint32Array(this.memory.buffer, at, length);
  }

  floats(at: number, length: number): Float32Array {
    return new Float32Array(this.memory.buffer, at, length);
  }
}
