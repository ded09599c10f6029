import { assertNever } from '../errors';

/** A curve that stored values went through: stored = v^(1 / exponent), or sRGB. */
export type Transfer = { readonly kind: 'none' } | { readonly kind: 'power'; readonly exponent: number } | { readonly kind: 'srgb' };

/** The curve that decoding undoes, both ways. Mirrored below zero (odd), so signed values survive. */
export interface TransferPair {
  /** Stored value to linear value. */
  readonly undo: (stored: number) => number;
  /** Linear value to stored value. */
  readonly apply: (linear: number) => number;
}

const IDENTITY: TransferPair = { undo: (v) => v, apply: (v) => v };

/** Chosen once a pass, outside the pixel loop. sRGB: IEC 61966-2-1. */
export function transferPair(transfer: Transfer): TransferPair {
  switch (transfer.kind) {
    case 'none':
      return IDENTITY;
    case 'power': {
      const { exponent } = transfer;
      return { undo: (v) => Math.sign(v) * Math.abs(v) ** exponent, apply: (v) => Math.sign(v) * Math.abs(v) ** (1 / exponent) };
    }
    case 'srgb':
      return { undo: (v) => Math.sign(v) * srgbToLinear(Math.abs(v)), apply: (v) => Math.sign(v) * linearToSrgb(Math.abs(v)) };
    default:
      return assertNever(transfer);
  }
}

export function srgbToLinear(v: number): number {
  return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
}

export function linearToSrgb(v: number): number {
  return v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055;
}
