import { IvrexError } from '../../errors';
import { planCodec, type CodecPlan } from './codec-plan';
import { channelsOf, type Encoding, type VectorSet } from './encoding';
import type { MotionField } from '../../raster/motion-field';
import { transferPair } from '../../colour/transfer';

export type StoredType = 'half' | 'float' | 'u8' | 'u16';

/** Codes of an integer type between 0 and 1; null for float types, which do not clip. */
export const INTEGER_STEPS: Record<StoredType, number | null> = { half: null, float: null, u8: 255, u16: 65535 };

export interface EncodedMotion {
  /** Every channel that the encoding names. Integer types: values already on their codes, 0..1. */
  readonly planes: ReadonlyMap<string, Float32Array>;
  /** Pixels with at least one value outside an integer target's range by more than half a step. */
  readonly clippedPixels: number;
  readonly invalidPixels: number;
  /** 1 where a pixel was clipped. */
  readonly clipped: Uint8Array;
}

/**
 * The inverse of `decodeMotion`. `alpha` is the coverage to multiply with (and to write, when the encoding names an alpha channel).
 * @throws IvrexError as `planCodec`; badEncoding when it is premultiplied and no alpha is given
 */
export function encodeMotion(
  field: MotionField,
  encoding: Encoding,
  type: StoredType,
  fps: number | null,
  alpha: Float32Array | null,
): EncodedMotion {
  const plan = planCodec(encoding, { width: field.width, height: field.height, fps });
  if (encoding.premultiplied && alpha === null)
    throw new IvrexError('badEncoding', 'the target encoding is premultiplied, so an alpha is needed to write it');
  const count = field.width * field.height;
  const planes = new Map(channelsOf(encoding).map((name) => [name, new Float32Array(count)]));
  const clipped = new Uint8Array(count);
  const writer = sampleWriter(INTEGER_STEPS[type], clipped);
  encoding.sets.forEach((set, index) => encodeSet(field, encoding, plan, set, index, planes, alpha, writer));
  if (encoding.alpha !== null) {
    const out = planes.get(encoding.alpha) ?? new Float32Array(0);
    for (let i = 0; i < count; i++) writer(out, i, alpha === null ? 1 : alpha[i]);
  }
  let clippedPixels = 0,
    invalidPixels = 0;
  for (let i = 0; i < count; i++) {
    clippedPixels += clipped[i];
    invalidPixels += 1 - field.valid[i];
  }
  return { planes, clippedPixels, invalidPixels, clipped };
}

type SampleWriter = (plane: Float32Array, index: number, value: number) => void;

function sampleWriter(steps: number | null, clipped: Uint8Array): SampleWriter {
  if (steps === null)
    return (plane, index, value) => {
      plane[index] = value;
    };
  return (plane, index, value) => {
    const code = value * steps;
    if (code < -0.5 || code > steps + 0.5) clipped[index] = 1;
    plane[index] = Math.min(steps, Math.max(0, Math.round(code))) / steps;
  };
}

function encodeSet(
  field: MotionField,
  encoding: Encoding,
  plan: CodecPlan,
  set: VectorSet,
  index: number,
  planes: ReadonlyMap<string, Float32Array>,
  alpha: Float32Array | null,
  write: SampleWriter,
): void {
  const none = new Float32Array(0);
  const xs = planes.get(set.x) ?? none,
    ys = planes.get(set.y) ?? none;
  const lengths = set.length === null ? null : (planes.get(set.length) ?? none);
  const { apply } = transferPair(encoding.transfer);
  const { frames, sum } = plan.spans[index];
  for (let i = 0; i < field.valid.length; i++) {
    const coverage = encoding.premultiplied && alpha !== null ? alpha[i] : 1;
    if (field.valid[i] === 0) {
      const rest = encoding.noData ?? apply(plan.zero) * coverage;
      write(xs, i, rest);
      write(ys, i, rest);
      if (lengths !== null) write(lengths, i, 0);
      continue;
    }
    const vx = displacement(field, i * 2, frames, sum),
      vy = displacement(field, i * 2 + 1, frames, sum);
    if (lengths === null) {
      write(xs, i, apply(vx / plan.scaleX + plan.zero) * coverage);
      write(ys, i, apply(vy / plan.scaleY + plan.zero) * coverage);
    } else {
      const x = vx * plan.pixelAspect * plan.signX,
        y = vy * plan.signY;
      const length = Math.hypot(x, y);
      const reach = directionReach(encoding);
      write(xs, i, apply(plan.zero + (length > 0 ? (x / length) * reach : 0)) * coverage);
      write(ys, i, apply(plan.zero + (length > 0 ? (y / length) * reach : 0)) * coverage);
      write(lengths, i, apply(length / plan.lengthScale) * coverage);
    }
  }
}

/** P(to) - P(from) for P(t) = a t + b t^2 through previous, now and next. */
function displacement(field: MotionField, at: number, frames: number, sum: number): number {
  const next = field.toNext[at],
    previous = field.toPrevious[at];
  return frames * ((next - previous) / 2 + ((next + previous) / 2) * sum);
}

/** How far from zero a direction of length 1 is stored: what stays inside 0..1 around a centred zero, else 1. */
function directionReach(encoding: Encoding): number {
  return encoding.zero > 0 && encoding.zero < 1 ? Math.min(encoding.zero, 1 - encoding.zero) : 1;
}
