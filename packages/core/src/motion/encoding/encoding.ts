import type { Transfer } from '../../colour/transfer';
/** How a motion pass is stored: version 1 of the encoding document. The contract package holds its schema. */
export interface Encoding {
  readonly ivrexEncoding: 1;
  readonly name: string;
  readonly note: string;
  readonly space: 'screen' | 'camera' | 'world';
  readonly transfer: Transfer;
  readonly premultiplied: boolean;
  readonly alpha: string | null;
  readonly sets: readonly VectorSet[];
  readonly zero: number;
  readonly fullScale: { readonly stored: number; readonly equals: number; readonly unit: ScaleUnit };
  /** `z` is read in space camera only; left out it points into the picture. */
  readonly axes: { readonly x: 'right' | 'left'; readonly y: 'down' | 'up'; readonly z?: 'away' | 'towards' };
  readonly pixelAspect: number;
  readonly noData: number | null;
}
export type ScaleUnit = 'px' | 'frameWidth' | 'frameSize' | 'halfFrame';
export interface VectorSet {
  readonly x: string;
  readonly y: string;
  readonly length: string | null;
  /** The third component, in spaces camera and world; left out on screen. */
  readonly z?: string | null;
  readonly covers: { readonly from: number; readonly to: number; readonly unit: 'frames' | 'seconds' };
}

/** Raw float pixels to the next frame in the given channels: the plainest encoding there is. */
export function rawPixels(x: string, y: string, name = 'Raw pixels to the next frame'): Encoding {
  return {
    ivrexEncoding: 1,
    name,
    note: '',
    space: 'screen',
    transfer: { kind: 'none' },
    premultiplied: false,
    alpha: null,
    sets: [{ x, y, length: null, covers: { from: 0, to: 1, unit: 'frames' } }],
    zero: 0,
    fullScale: { stored: 1, equals: 1, unit: 'px' },
    axes: { x: 'right', y: 'down' },
    pixelAspect: 1,
    noData: null,
  };
}

/** Every channel that decoding reads, in order, each once. */
export function channelsOf(encoding: Encoding): string[] {
  const names = encoding.sets.flatMap((set) => [set.x, set.y, ...(set.length === null ? [] : [set.length]), ...(set.z ? [set.z] : [])]);
  if (encoding.alpha !== null) names.push(encoding.alpha);
  return [...new Set(names)];
}

/** What is known under a channel's name: a full name is accepted for its short one. */
export function named<T>(by: ReadonlyMap<string, T>, name: string): T | undefined {
  return by.get(name) ?? by.get(name.slice(name.lastIndexOf('.') + 1));
}
