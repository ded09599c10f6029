import { srgbToLinear } from './transfer';

/** Curve that a picture file was stored with; decoding undoes it, so that the core sees scene-linear light. Never applied to data. */
export const INPUT_CURVES = ['linear', 'srgb', 'rec709', 'power22', 'power24', 'power26'] as const;
export type InputCurve = (typeof INPUT_CURVES)[number];

export const INPUT_CURVE_NAMES: Record<InputCurve, string> = {
  linear: 'Scene-linear',
  srgb: 'sRGB',
  rec709: 'Rec.709 camera curve',
  power22: 'Gamma 2.2',
  power24: 'Gamma 2.4',
  power26: 'Gamma 2.6',
};

/** How colour relates to alpha in the file. `matted` has the colour that lies under it, as stored. */
export type AlphaReading =
  | { readonly kind: 'premultiplied' }
  | { readonly kind: 'straight' }
  | { readonly kind: 'matted'; readonly colour: readonly [number, number, number] }
  | { readonly kind: 'none' };

export interface PictureReading {
  readonly curve: InputCurve;
  readonly alpha: AlphaReading;
}

export const PLAIN_READING: PictureReading = { curve: 'linear', alpha: { kind: 'premultiplied' } };

/** Stored value to scene-linear light; odd, so that values below zero survive. */
export function undoInputCurve(curve: InputCurve): (v: number) => number {
  const odd = (f: (v: number) => number) => (v: number) => (v < 0 ? -f(-v) : f(v));
  switch (curve) {
    case 'linear':
      return (v) => v;
    case 'srgb':
      return odd(srgbToLinear);
    case 'rec709':
      return odd((v) => (v < 0.081 ? v / 4.5 : ((v + 0.099) / 1.099) ** (1 / 0.45)));
    case 'power22':
      return odd((v) => v ** 2.2);
    case 'power24':
      return odd((v) => v ** 2.4);
    case 'power26':
      return odd((v) => v ** 2.6);
  }
}

const TABLE_STEPS = 65535;

/**
 * Brings RGBA as stored (4 floats a pixel, changed in place) to scene-linear premultiplied. A curve acts on straight colour: premultiplied
 * values are divided by alpha first. With `alpha` "none" the picture is opaque.
 */
export function readPicture(rgba: Float32Array, reading: PictureReading): void {
  const { alpha } = reading;
  if (alpha.kind === 'none') for (let i = 3; i < rgba.length; i += 4) rgba[i] = 1;
  if (alpha.kind === 'matted') removeMatte(rgba, alpha.colour);
  const premultiplied = alpha.kind === 'premultiplied' || alpha.kind === 'matted';
  if (reading.curve === 'linear') {
    if (alpha.kind === 'straight') scaleByAlpha(rgba);
    return;
  }
  const undo = fastCurve(reading.curve);
  for (let i = 0; i < rgba.length; i += 4) {
    const a = rgba[i + 3];
    const divide = premultiplied && a > 0 ? a : 1,
      multiply = alpha.kind === 'none' ? 1 : premultiplied && a <= 0 ? 1 : a;
    for (let c = 0; c < 3; c++) rgba[i + c] = undo(rgba[i + c] / divide) * multiply;
  }
}

/** A table for 0 to 1, where nearly all stored values lie; whole numbers of 8 and 16 bits hit its entries exactly. */
function fastCurve(curve: InputCurve): (v: number) => number {
  const undo = undoInputCurve(curve);
  const table = Float32Array.from({ length: TABLE_STEPS + 1 }, (_, i) => undo(i / TABLE_STEPS));
  return (v) => {
    const at = v * TABLE_STEPS,
      near = Math.round(at);
    return near >= 0 && near <= TABLE_STEPS && Math.abs(at - near) < 0.002 ? table[near] : undo(v);
  };
}

function scaleByAlpha(rgba: Float32Array): void {
  for (let i = 0; i < rgba.length; i += 4) for (let c = 0; c < 3; c++) rgba[i + c] *= rgba[i + 3];
}

/** stored = colour x alpha + matte x (1 - alpha). */
function removeMatte(rgba: Float32Array, matte: readonly [number, number, number]): void {
  for (let i = 0; i < rgba.length; i += 4) for (let c = 0; c < 3; c++) rgba[i + c] -= matte[c] * (1 - rgba[i + 3]);
}
