import {
  coverLight,
  multiplyLight,
  mattePlane,
  shapePicture,
  takeLights,
  type ElementShape,
  type LightPicture,
  type MatteChoice,
  type MattePlanes,
} from '@ivrex/core';

/** How an element is made of its pictures. */
export interface ShapeInputs {
  readonly shape: ElementShape;
  readonly choice: MatteChoice | null;
  /** The beauty's alpha says something; that of a light pass always does. */
  readonly hasAlpha: boolean;
}

/** Pictures that an element's is put together of. Interleaved premultiplied halves of equal size. */
export interface PictureParts {
  readonly beauty: Uint16Array;
  /** Light passes that are taken out of it. `isStraight`: their colours are not multiplied by the beauty's alpha yet. */
  readonly without: readonly { readonly name: string; readonly rgba: Uint16Array; readonly isStraight: boolean }[];
  /** Of a light pass: the picture of its surface, whose alpha it has. */
  readonly cover: { readonly rgba: Uint16Array; readonly hasAlpha: boolean; readonly isStraight: boolean } | null;
  /** What of the beauty is the element's; null: all of it. */
  readonly matte: MattePlanes | null;
}

export type PictureInputs = PictureParts & ShapeInputs & { readonly width: number; readonly height: number };

/** The beauty as the element has it, and in sentences what is odd about its light passes. */
export function shapedPicture(
  { beauty, without, cover, width, height, matte, choice, hasAlpha, shape }: PictureInputs,
  widened: (halves: Uint16Array) => Float32Array,
): { readonly rgba: Float32Array; readonly warnings: readonly string[] } {
  const rgba = widened(beauty);
  if (cover !== null) {
    const surface = cover.hasAlpha ? widened(cover.rgba) : null;
    if (surface !== null && cover.isStraight) multiplyLight(rgba, surface);
    coverLight(rgba, surface, width);
  }
  const lights = without.map((light): LightPicture => {
    const lit = widened(light.rgba);
    if (light.isStraight) multiplyLight(lit, rgba);
    return { name: light.name, rgba: lit };
  });
  const warnings = takeLights(rgba, lights);
  const cut = matte && choice && { plane: mattePlane(matte, choice, width, height), invert: choice.invert };
  return { rgba: shapePicture(rgba, width, height, hasAlpha, cut, shape), warnings };
}
