import type { NamedStateId, PassId, Raster } from '@ivrex/contract';
import type { CompareBox } from '@ivrex/core';

/** One of the two pictures that are compared. */
export type Side =
  | { readonly kind: 'blurred' }
  | { readonly kind: 'sharp' }
  /** `shift`: of the frames of another shot, this many on from this one's. */
  | { readonly kind: 'pass'; readonly pass: PassId; readonly shift: number }
  /** All elements over the plate, as set now; made by the server. */
  | { readonly kind: 'assembled' }
  /** The blur under settings that were given a name. */
  | { readonly kind: 'state'; readonly state: NamedStateId };

/** What has been loaded of a side. */
export type LoadedSide =
  | { readonly status: 'none' }
  | { readonly status: 'loading'; readonly picture: SidePicture | null }
  | { readonly status: 'ready'; readonly picture: SidePicture }
  | { readonly status: 'failed'; readonly message: string };

export interface SidePicture {
  readonly width: number;
  readonly height: number;
  /** Interleaved premultiplied halves. */
  readonly halves: Uint16Array;
}

export const COMPARE_WAYS = ['wipe', 'beside', 'flick', 'difference', 'error'] as const;
export type CompareWay = (typeof COMPARE_WAYS)[number];
export const WAY_NAMES: Record<CompareWay, string> = {
  wipe: 'Wipe',
  beside: 'Beside',
  flick: 'Flick',
  difference: 'Difference',
  error: 'Error',
};

export interface CompareState {
  readonly a: Side;
  readonly b: Side;
  readonly way: CompareWay;
  /** The wipe's edge: a point on it, in shares of the picture, and where it points to, degrees from right, clockwise. */
  readonly edge: { readonly x: number; readonly y: number; readonly angleDeg: number };
  readonly gain: number;
  /** Differences about middle grey instead of from black. */
  readonly signed: boolean;
  readonly scope: 'frame' | 'element' | 'region';
  readonly region: CompareBox | null;
}

export const START_COMPARE: CompareState = {
  a: { kind: 'sharp' },
  b: { kind: 'blurred' },
  way: 'wipe',
  edge: { x: 0.5, y: 0.5, angleDeg: 0 },
  gain: 4,
  signed: false,
  scope: 'frame',
  region: null,
};

export function sideKey(side: Side): string {
  switch (side.kind) {
    case 'blurred':
    case 'sharp':
    case 'assembled':
      return side.kind;
    case 'pass':
      return `pass ${side.pass} ${side.shift}`;
    case 'state':
      return `state ${side.state}`;
  }
}

export function pictureOf(side: LoadedSide): SidePicture | null {
  return side.status === 'ready' || side.status === 'loading' ? side.picture : null;
}

export function pictureOfRaster({ header: { width, height }, planes }: Raster): SidePicture {
  return { width, height, halves: planes[0] as Uint16Array };
}
