/** Pixels in memory that several workers can see; a plan is then handed over without copying. */
export function sharedFloats(length: number): Float32Array {
  return typeof SharedArrayBuffer === 'undefined' ? new Float32Array(length) : new Float32Array(new SharedArrayBuffer(length * 4));
}

export function sharedBytes(length: number): Uint8Array {
  return typeof SharedArrayBuffer === 'undefined' ? new Uint8Array(length) : new Uint8Array(new SharedArrayBuffer(length));
}

/** The same values in shared memory: themselves when they are there already. */
export function sharedCopy(values: Float32Array): Float32Array {
  if (typeof SharedArrayBuffer === 'undefined' || values.buffer instanceof SharedArrayBuffer) return values;
  const out = sharedFloats(values.length);
  out.set(values);
  return out;
}
