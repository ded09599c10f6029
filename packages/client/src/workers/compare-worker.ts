import { compareWithin, halfToNumber, type CompareBox, type PlacedComparison } from '@ivrex/core';
import { expose } from 'comlink';

export interface CompareRequest {
  readonly width: number;
  readonly height: number;
  /** Interleaved premultiplied halves. */
  readonly a: Uint16Array;
  readonly b: Uint16Array;
  readonly sharp: Uint16Array | null;
  readonly box: CompareBox | null;
  /** Only pixels that any of the pictures covers. */
  readonly coveredOnly: boolean;
}

const api = {
  compare({ width, height, a, b, sharp, box, coveredOnly }: CompareRequest): PlacedComparison | null {
    const [ours, theirs] = [a, b].map(widened),
      still = sharp === null ? null : widened(sharp);
    let inside: Uint8Array | null = null;
    if (coveredOnly) {
      inside = new Uint8Array(width * height);
      for (let i = 0; i < inside.length; i++)
        inside[i] = ours[i * 4 + 3] > 0 || theirs[i * 4 + 3] > 0 || (still !== null && still[i * 4 + 3] > 0) ? 1 : 0;
    }
    return compareWithin(ours, theirs, width, height, still, box, inside);
  },
};
export type CompareWorker = typeof api;

let numbers: Float32Array | null = null;

function widened(halves: Uint16Array): Float32Array {
  numbers ??= Float32Array.from({ length: 65536 }, (_, code) => halfToNumber(code));
  const out = new Float32Array(halves.length);
  for (let i = 0; i < out.length; i++) out[i] = numbers[halves[i]];
  return out;
}

expose(api);
