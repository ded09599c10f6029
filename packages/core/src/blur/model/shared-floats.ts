/** Smaller buffers are not worth looking for. */
const LEAST_BYTES = 64 * 1024;
/** More is not kept for what may come. */
const MOST_BYTES = 256 * 1024 * 1024;
/** A buffer this many times larger than needed is left for something larger. */
const MOST_TIMES = 1.5;

let spare: SharedArrayBuffer[] = [];

/**
 * Memory of plans that nobody looks at any more, for those that this thread makes next; what the last call gave and was not taken is let go. Browsers
 * do not count shared memory as held and would collect it long after the machine is full of it.
 */
export function reuseMemory(buffers: readonly SharedArrayBuffer[]): void {
  spare = buffers.filter((buffer) => buffer.byteLength >= LEAST_BYTES).sort((a, b) => a.byteLength - b.byteLength);
}

/** What was made with `sharedFloats` and is needed no longer may be used again at once. */
export function giveBack({ buffer }: Float32Array): void {
  if (!isShared(buffer)) return;
  reuseMemory([...spare, buffer]);
  for (let total = spare.reduce((sum, { byteLength }) => sum + byteLength, 0); total > MOST_BYTES;)
    total -= spare.shift()?.byteLength ?? total;
}

/** Pixels in memory that several workers can see, all 0; a plan is then handed over without copying. */
export function sharedFloats(length: number): Float32Array {
  return new Float32Array(zeroed(length * 4), 0, length);
}

export function sharedBytes(length: number): Uint8Array {
  return new Uint8Array(zeroed(length), 0, length);
}

export function sharedShorts(length: number): Uint16Array {
  return new Uint16Array(zeroed(length * 2), 0, length);
}

function zeroed(bytes: number): ArrayBufferLike {
  if (typeof SharedArrayBuffer === 'undefined') return new ArrayBuffer(bytes);
  const at = spare.findIndex(({ byteLength }) => byteLength >= bytes && byteLength <= MOST_TIMES * bytes);
  if (at < 0) return new SharedArrayBuffer(bytes);
  const [found] = spare.splice(at, 1);
  new Uint8Array(found, 0, bytes).fill(0);
  return found;
}

/** The same values in shared memory: themselves when they are there already. */
export function sharedCopy<T extends Float32Array | Uint32Array | Uint8Array>(values: T): T {
  if (typeof SharedArrayBuffer === 'undefined' || isShared(values.buffer)) return values;
  const out = new (values.constructor as new (buffer: ArrayBufferLike, at: number, length: number) => T)(
    zeroed(values.byteLength),
    0,
    values.length,
  );
  out.set(values);
  return out;
}

/** The shared buffers of plain data, each once. */
export function sharedMemoryOf(data: unknown): SharedArrayBuffer[] {
  const found = new Set<SharedArrayBuffer>();
  addShared(data, found);
  return [...found];
}

function addShared(data: unknown, found: Set<SharedArrayBuffer>): void {
  if (ArrayBuffer.isView(data)) {
    if (isShared(data.buffer)) found.add(data.buffer);
  } else if (typeof data === 'object' && data !== null) for (const part of Object.values(data)) addShared(part, found);
}

function isShared(buffer: ArrayBufferLike): buffer is SharedArrayBuffer {
  return typeof SharedArrayBuffer !== 'undefined' && buffer instanceof SharedArrayBuffer;
}
