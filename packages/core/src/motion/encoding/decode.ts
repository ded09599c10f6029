import { roundToHalf } from '../../raster/half';
import { IvrexError } from '../../errors';
import { planCodec, type CodecPlan, type PassFacts } from './codec-plan';
import { named, type Encoding, type VectorSet } from './encoding';
import type { MotionField } from '../../raster/motion-field';
import { transferPair } from '../../colour/transfer';

/** A motion pass as stored: planes by channel name (relative to the layer, or full), over its display window. */
export interface StoredMotion extends PassFacts {
  readonly planes: ReadonlyMap<string, Float32Array>;
  /** The beauty's alpha, for premultiplied passes that have none of their own. Null when there is none. */
  readonly beautyAlpha: Float32Array | null;
}

/**
 * Decodes one frame to pixels per frame (docs/formats.md). Pixels with NaN, infinity, noData or no coverage are invalid.
 * @throws IvrexError as `planCodec`, missingChannel
 */
export function decodeMotion(stored: StoredMotion, encoding: Encoding): MotionField {
  const { width, height } = stored;
  return { width, height, twoSided: encoding.sets.length === 2, ...decodeVectors(stored, encoding) };
}

/** The same for planes that hold only some of the frame's pixels, in any order. */
export function decodeVectors(stored: StoredMotion, encoding: Encoding): Pick<MotionField, 'toNext' | 'toPrevious' | 'valid'> {
  const plan = planCodec(encoding, stored);
  const alpha = coverageOf(stored, encoding);
  const sets = encoding.sets.map((set) => displacements(stored, encoding, plan, set, alpha));
  const [one, other] = sets,
    [firstSpan, secondSpan] = plan.spans,
    count = one.valid.length;
  const toNext = new Float32Array(count * 2),
    toPrevious = new Float32Array(count * 2),
    valid = new Uint8Array(count);
  for (let i = 0; i < count; i++) {
    if (one.valid[i] === 0 || (sets.length === 2 && other.valid[i] === 0)) continue;
    valid[i] = 1;
    for (let k = i * 2; k < i * 2 + 2; k++) {
      // The path is P(t) = a t + b t^2; a set tells (P(to) - P(from)) / (to - from) = a + b (from + to).
      const first = one.vectors[k] / firstSpan.frames;
      let a = first,
        b = 0;
      if (sets.length === 2) {
        const second = other.vectors[k] / secondSpan.frames;
        b = (first - second) / (firstSpan.sum - secondSpan.sum);
        a = first - b * firstSpan.sum;
      }
      toNext[k] = a + b;
      toPrevious[k] = b - a;
    }
  }
  return { toNext, toPrevious, valid };
}

function coverageOf(stored: StoredMotion, encoding: Encoding): Float32Array | null {
  if (!encoding.premultiplied) return null;
  if (encoding.alpha !== null) return planeOf(stored, encoding.alpha);
  if (stored.beautyAlpha === null)
    throw new IvrexError(
      'missingChannel',
      'the encoding says premultiplied, but neither the motion pass nor the beauty has an alpha channel',
    );
  return stored.beautyAlpha;
}

function planeOf(stored: StoredMotion, name: string): Float32Array {
  const plane = named(stored.planes, name);
  if (plane === undefined)
    throw new IvrexError('missingChannel', `the motion pass has no channel "${name}"; it has ${[...stored.planes.keys()].join(', ')}`);
  return plane;
}

function displacements(
  stored: StoredMotion,
  encoding: Encoding,
  plan: CodecPlan,
  set: VectorSet,
  alpha: Float32Array | null,
): { vectors: Float64Array; valid: Uint8Array } {
  const xs = planeOf(stored, set.x),
    ys = planeOf(stored, set.y);
  const lengths = set.length === null ? null : planeOf(stored, set.length);
  const { undo } = transferPair(encoding.transfer),
    plain = encoding.transfer.kind === 'none';
  const absent = absentValues(encoding.noData);
  const vectors = new Float64Array(xs.length * 2),
    valid = new Uint8Array(xs.length);
  for (let i = 0; i < xs.length; i++) {
    const coverage = alpha === null ? 1 : alpha[i];
    if (coverage === 0 || (absent.length > 0 && isAbsent(xs[i], absent) && isAbsent(ys[i], absent))) continue;
    const p = xs[i] / coverage,
      q = ys[i] / coverage;
    const x = (plain ? p : undo(p)) - plan.zero,
      y = (plain ? q : undo(q)) - plan.zero;
    let vx: number, vy: number;
    if (lengths === null) {
      vx = x * plan.scaleX;
      vy = y * plan.scaleY;
    } else {
      const pixels = undo(lengths[i] / coverage) * plan.lengthScale;
      const norm = Math.hypot(x, y);
      const unit = norm > 0 ? pixels / norm : 0;
      vx = (x * unit * plan.signX) / plan.pixelAspect;
      vy = y * unit * plan.signY;
    }
    // Infinity minus itself is NaN: one test for both.
    if (vx - vx !== 0 || vy - vy !== 0) continue;
    vectors[i * 2] = vx;
    vectors[i * 2 + 1] = vy;
    valid[i] = 1;
  }
  return { vectors, valid };
}

/** What "no vector here" looks like after a file has rounded it: to a half, or to a step of 8 or 16-bit whole numbers. */
export function absentValues(noData: number | null): readonly number[] {
  if (noData === null) return [];
  const steps = noData >= 0 && noData <= 1 ? [255, 65535].map((most) => Math.round(noData * most) / most) : [];
  return [...new Set([noData, roundToHalf(noData), ...steps])];
}

export function isAbsent(stored: number, absent: readonly number[]): boolean {
  for (const value of absent) if (Math.abs(stored - value) <= 1e-6 * Math.max(1, Math.abs(value))) return true;
  return false;
}
