import { matteOf, rankPlanes } from '../passes/cryptomatte';
import { resizePlane } from '../raster/resize';
import { applyMatte, withMatteEdge, type MatteEdge } from './matte-edge';
import { shadowPicture, type ShadowChoice } from './shadow';

/** What of a pass belongs to an element, as planes of its layer (short names) hold it. */
export type MatteChoice =
  | { readonly kind: 'pass'; readonly invert: boolean }
  | { readonly kind: 'objects'; readonly ids: readonly number[]; readonly invert: boolean };

export interface MattePlane {
  readonly name: string;
  readonly data: Float32Array;
}

export interface MattePlanes {
  readonly width: number;
  readonly height: number;
  readonly planes: readonly MattePlane[];
}

/** The channel of a layer that holds its matte: alpha, else the only or first one. */
export function matteChannel(names: readonly string[]): string | null {
  return names.find((n) => /^a(lpha)?$/i.test(n)) ?? names[0] ?? null;
}

/** Coverage 0 to 1 at the picture's size. Objects are those of a Cryptomatte where the planes are its ranks, else the values of the first plane. */
export function mattePlane({ width, height, planes }: MattePlanes, choice: MatteChoice, toWidth: number, toHeight: number): Float32Array {
  const scaled = (plane: Float32Array) => resizePlane(plane, width, height, toWidth, toHeight);
  if (choice.kind === 'pass') {
    const name = matteChannel(planes.map((p) => p.name));
    return scaled(planes.find((p) => p.name === name)?.data ?? new Float32Array(width * height));
  }
  const chosen = new Set(choice.ids),
    ranks = rankPlanes(planes);
  if (ranks.ids.length > 0) return scaled(matteOf(ranks, chosen));
  return scaled(Float32Array.from(planes[0]?.data ?? new Float32Array(width * height), (v) => (chosen.has(v) ? 1 : 0)));
}

/** How an element's pictures are made of a pass's: part of it, with its edge moved, or as a shadow. */
export interface ElementShape {
  readonly edge: MatteEdge;
  readonly shadow: ShadowChoice | null;
}

export const PLAIN_SHAPE: ElementShape = { edge: { trimPx: 0, softenPx: 0 }, shadow: null };

/** Premultiplied RGBA as the element has it; the same array when nothing is done. `hasAlpha`: the pass's alpha says something. */
export function shapePicture(
  rgba: Float32Array,
  width: number,
  height: number,
  hasAlpha: boolean,
  matte: { readonly plane: Float32Array; readonly invert: boolean } | null,
  { edge, shadow }: ElementShape,
): Float32Array {
  let out = rgba;
  if (matte !== null) {
    out = rgba.slice();
    applyMatte(out, matte.plane, matte.invert);
  }
  if (shadow !== null) return shadowPicture(out, width, height, hasAlpha || matte !== null, shadow, edge.softenPx);
  return withMatteEdge(out, width, height, edge);
}
