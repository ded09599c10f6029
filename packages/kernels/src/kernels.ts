/**
 * The typed interface of the hot loops. Production code is handed the WebAssembly instance; tests may hand in the
 * plain version of `@ivrex/core/reference`, which obeys the same contract.
 */
export interface Kernels {
  /** Undoes the byte predictor, then interleaves halves: what RLE, ZIPS and ZIP blocks hold. `out` has the length of `packed`. */
  reconstructBytes(packed: Uint8Array, out: Uint8Array): void;
  /** The inverse of `reconstructBytes`, ready for compression. */
  predictBytes(raw: Uint8Array, out: Uint8Array): void;
  /** binary16 bit patterns to floats; exact. Lengths must agree. */
  halfToFloat(src: Uint16Array, out: Float32Array): void;
  /** Floats to binary16 bit patterns; nearest, ties to even; overflow to infinity. */
  floatToHalf(src: Float32Array, out: Uint16Array): void;
  /** Takes a copy of the layers' pixels; the session is theirs until it is closed. One session at a time is open. */
  openSlices(layers: readonly SliceLayer[]): SliceSession;
}

/** A box in display-window pixels: origin and size. */
export interface Box {
  readonly x0: number;
  readonly y0: number;
  readonly width: number;
  readonly height: number;
}

/** One moving layer. Arrays of layers run from the nearest to the farthest. */
export interface SliceLayer {
  readonly colourBox: Box;
  /** Premultiplied RGBA, 4 floats a pixel of colourBox. */
  readonly colour: Float32Array;
  /** Where paths are known, so where the layer can be seen at any time of the shutter. */
  readonly pathBox: Box;
  /** 8 floats a pixel of pathBox: A.x A.y A.re A.im B.x B.y B.re B.im; the path's parameter at time t is t A + t^2 B. */
  readonly path: Float32Array;
}

export interface SliceRequest {
  /** Indices of the layers that can touch this box, nearest first. */
  readonly layers: readonly number[];
  /** Frames, already multiplied by strength; weights sum to 1. */
  readonly times: Float32Array;
  readonly weights: Float32Array;
  /** "arc": the path parameter is a similarity flow (g, lambda). "line": a displacement and its gradient. */
  readonly path: 'arc' | 'line';
  readonly filter: 'cubic' | 'linear';
  readonly box: Box;
}

export interface SliceSession {
  /** Writes the box's RGBA into `out`, 4 floats a pixel, rows `outStride` floats apart from `outOffset` on. */
  render(request: SliceRequest, out: Float32Array, outOffset: number, outStride: number): void;
  close(): void;
}

/** Words of a layer record, as assembly/slices.ts reads it. */
export const RECORD_WORDS = 12;
