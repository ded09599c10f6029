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
  const [readOne, readOther = null] = encoding.sets.map((set) => vectorsOf(stored, encoding, plan, set, alpha)),
    [firstSpan, secondSpan] = plan.spans,
    count = planeOf(stored, encoding.sets[0].x).length;
  const toNext = new Float32Array(count * 2),
    toPrevious = new Float32Array(count * 2),
    valid = new Uint8Array(count);
  const one: Vector = { x: 0, y: 0 },
    other: Vector = { x: 0, y: 0 };
  for (let i = 0; i < count; i++) {
    if (!readOne(i, one) || (readOther !== null && !readOther(i, other))) continue;
    valid[i] = 1;
    // The path is P(t) = a t + b t^2; a set tells (P(to) - P(from)) / (to - from) = a + b (from + to).
    let ax = one.x / firstSpan.frames,
      ay = one.y / firstSpan.frames,
      bx = 0,
      by = 0;
    if (readOther !== null) {
      bx = (ax - other.x / secondSpan.frames) / (firstSpan.sum - secondSpan.sum);
      by = (ay - other.y / secondSpan.frames) / (firstSpan.sum - secondSpan.sum);
      ax -= bx * firstSpan.sum;
      ay -= by * firstSpan.sum;
    }
    toNext[i * 2] = ax + bx;
    toNext[i * 2 + 1] = ay + by;
    toPrevious[i * 2] = bx - ax;
    toPrevious[i * 2 + 1] = by - ay;
  }
  return { toNext, toPrevious, valid };
}

interface Vector {
  x: number;
  y: number;
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

/** Reads one pixel's vector, in pixels over the set's span; false, and what was in `out`, where there is none. */
function vectorsOf(
  stored: StoredMotion,
  encoding: Encoding,
  plan: CodecPlan,
  set: VectorSet,
  alpha: Float32Array | null,
): (i: number, out: Vector) => boolean {
  const xs = planeOf(stored, set.x),
    ys = planeOf(stored, set.y);
  const lengths = set.length === null ? null : planeOf(stored, set.length);
  const { undo } = transferPair(encoding.transfer),
    plain = encoding.transfer.kind === 'none';
  const absent = absentValues(encoding.noData);
  return (i, out) => {
    const coverage = alpha === null ? 1 : alpha[i];
    if (coverage === 0 || (absent.length > 0 && isAbsent(xs[i], absent) && isAbsent(ys[i], absent))) return false;
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
    if (vx - vx !== 0 || vy - vy !== 0) return false;
    out.x = vx;
    out.y = vy;
    return true;
  };
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
