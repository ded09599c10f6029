import { transferPair, type Transfer } from '../../colour/transfer';
import type { SampleType } from '../../raster/image';
import type { Candidate } from './candidates';
import type { StoredPass } from './stored-pass';
import { lengthOf } from './vector-length';

/** A pass read as a candidate says: vectors in linear stored units from its zero, before axes and scale. */
export interface VectorField {
  readonly width: number;
  readonly height: number;
  /** Reads pixel `i`; false where there is no vector. */
  read(i: number): boolean;
  /** Of the pixel read last. */
  u: number;
  v: number;
}

const CODES: Partial<Record<SampleType, number>> = { u8: 255, u16: 65535 };
const undone = new Map<string, Float64Array>();

/** What each code of whole numbers is once the curve is undone: a power takes as long as all else of a vector. Null for floats. */
function undoneCodes(curve: Transfer, type: SampleType): { readonly most: number; readonly values: Float64Array } | null {
  const most = CODES[type];
  if (most === undefined) return null;
  const key = `${type} ${JSON.stringify(curve)}`,
    { undo } = transferPair(curve);
  const values = undone.get(key) ?? Float64Array.from({ length: most + 1 }, (_, code) => undo(Math.fround(code / most)));
  undone.set(key, values);
  return { most, values };
}

/** `alpha`: what the values are divided by, of the pass's size; null leaves them. */
export function vectorField(pass: StoredPass, candidate: Candidate, alpha: Float32Array | null): VectorField {
  const { undo } = transferPair(candidate.curve),
    plain = candidate.curve.kind === 'none';
  const a = pass.channels[candidate.a].data,
    b = pass.channels[candidate.b].data,
    length = candidate.length === null ? null : pass.channels[candidate.length].data;
  const { zero, zeroB } = candidate;
  const codes = plain || alpha !== null || length !== null ? null : undoneCodes(candidate.curve, pass.channels[candidate.a].type);
  const field: VectorField = { width: pass.width, height: pass.height, u: 0, v: 0, read };
  function read(i: number): boolean {
    let p = a[i],
      q = b[i],
      l = length === null ? 0 : length[i];
    if (alpha !== null) {
      const coverage = alpha[i];
      if (!(coverage > 1e-3)) return false;
      p /= coverage;
      q /= coverage;
      l /= coverage;
    }
    if (codes !== null) {
      p = codes.values[Math.round(p * codes.most)];
      q = codes.values[Math.round(q * codes.most)];
    } else if (!plain) {
      p = undo(p);
      q = undo(q);
      l = undo(l);
    }
    let u = p - zero,
      v = q - zeroB;
    if (length !== null) {
      const norm = lengthOf(u, v);
      u = norm > 1e-9 ? (u / norm) * l : 0;
      v = norm > 1e-9 ? (v / norm) * l : 0;
    }
    if ((u + v) * 0 !== 0) return false;
    field.u = u;
    field.v = v;
    return true;
  }
  return field;
}

/** The pixel of a pass of another size that lies under the middle of a pixel of a picture; beyond the border the nearest. */
export function pixelUnder(
  x: number,
  y: number,
  from: { readonly width: number; readonly height: number },
  to: { readonly width: number; readonly height: number },
): number {
  const px = Math.min(to.width - 1, Math.max(0, Math.floor(((x + 0.5) * to.width) / from.width))),
    py = Math.min(to.height - 1, Math.max(0, Math.floor(((y + 0.5) * to.height) / from.height)));
  return py * to.width + px;
}
