import { roundToHalf } from '../raster/half';
import { decodeMotion } from './encoding/decode';
import type { Encoding } from './encoding/encoding';
import { encodeMotion, INTEGER_STEPS, type EncodedMotion, type StoredType } from './encoding/encode';
import type { MotionField } from '../raster/motion-field';
import { planCodec } from './encoding/codec-plan';
import { transferPair } from '../colour/transfer';

export interface RemappedFrame extends EncodedMotion {
  /** Longest error vector over valid, unclipped pixels, read back from the values as the file will hold them: pixels per frame. */
  readonly maxErrorPx: number;
}

/**
 * Encodes a field and reads it back: what the target loses is measured, not believed. Halves come back rounded as the file stores them.
 * @throws IvrexError as `encodeMotion`
 */
export function remapFrame(
  field: MotionField,
  encoding: Encoding,
  type: StoredType,
  fps: number | null,
  alpha: Float32Array | null,
): RemappedFrame {
  const encoded = encodeMotion(field, encoding, type, fps, alpha);
  if (type === 'half') for (const plane of encoded.planes.values()) for (let i = 0; i < plane.length; i++) plane[i] = roundToHalf(plane[i]);
  const { width, height } = field;
  const back = decodeMotion({ planes: encoded.planes, width, height, fps, beautyAlpha: alpha }, encoding);
  // With one set the target can hold one side only: the other is its mirror image, by the encoding's definition.
  const [first] = encoding.sets;
  const side = encoding.sets.length === 2 ? null : first.covers.from + first.covers.to < 0 ? 'previous' : 'next';
  let worst = 0;
  for (let i = 0; i < field.valid.length; i++) {
    if (field.valid[i] === 0 || back.valid[i] === 0 || encoded.clipped[i] === 1) continue;
    const next = Math.hypot(
      back.toNext[i * 2] - wantedAt(field, encoding, i * 2),
      back.toNext[i * 2 + 1] - wantedAt(field, encoding, i * 2 + 1),
    );
    worst = Math.max(worst, next);
    if (side === null)
      worst = Math.max(
        worst,
        Math.hypot(back.toPrevious[i * 2] - field.toPrevious[i * 2], back.toPrevious[i * 2 + 1] - field.toPrevious[i * 2 + 1]),
      );
  }
  return { ...encoded, maxErrorPx: worst };
}

/** The velocity that the target is asked to hold: to the next frame of two sets, the interval's own of one. */
function wantedAt({ toNext, toPrevious }: MotionField, encoding: Encoding, at: number): number {
  if (encoding.sets.length === 2) return toNext[at];
  const { from, to } = encoding.sets[0].covers;
  return (toNext[at] - toPrevious[at]) / 2 + ((toNext[at] + toPrevious[at]) / 2) * (from + to);
}

/**
 * The longest error vector that storing motion up to `rangePx` (the largest x or y, pixels per frame) can cause: half a step of the type,
 * through the curve, in pixels per frame. Beyond the target's range is clipping, which is counted, not predicted.
 * @throws IvrexError as `planCodec`
 */
export function predictRemapError(
  encoding: Encoding,
  type: StoredType,
  rangePx: number,
  size: { readonly width: number; readonly height: number; readonly fps: number | null },
): number {
  const plan = planCodec(encoding, size);
  const { undo, apply } = transferPair(encoding.transfer);
  const steps = INTEGER_STEPS[type];
  /** Largest change of the linear value within half a step, over the stored values that the range reaches. */
  const worst = (linearLow: number, linearHigh: number) => {
    let most = 0;
    const low = apply(linearLow),
      high = apply(linearHigh);
    for (let n = 0; n <= SAMPLES; n++) {
      const stored = low + ((high - low) * n) / SAMPLES;
      const half = steps === null ? (type === 'half' ? halfStep(stored) : Math.abs(stored) * 2 ** -24 + 2 ** -150) / 2 : 0.5 / steps;
      const clampTo = (v: number) => (steps === null ? v : Math.min(1, Math.max(0, v)));
      most = Math.max(
        most,
        Math.abs(undo(clampTo(stored) + half) - undo(clampTo(stored))),
        Math.abs(undo(clampTo(stored)) - undo(clampTo(stored) - half)),
      );
    }
    return most;
  };
  return Math.max(
    ...encoding.sets.map((set, i) => {
      const frames = Math.abs(plan.spans[i].frames);
      const reach = rangePx * frames;
      if (set.length !== null) {
        const along = worst(0, (Math.SQRT2 * reach) / Math.abs(plan.lengthScale)) * Math.abs(plan.lengthScale);
        const aside =
          worst(plan.zero - 1, plan.zero + 1) *
          Math.SQRT2 *
          Math.SQRT2 *
          reach *
          (encoding.zero > 0 && encoding.zero < 1 ? 1 / Math.min(encoding.zero, 1 - encoding.zero) : 1);
        return Math.hypot(along, aside) / frames;
      }
      const axis = (scale: number) => worst(plan.zero - reach / Math.abs(scale), plan.zero + reach / Math.abs(scale)) * Math.abs(scale);
      return Math.hypot(axis(plan.scaleX), axis(plan.scaleY)) / frames;
    }),
  );
}

const SAMPLES = 64;

/** Distance between halves around a value; IEEE 754 binary16. */
function halfStep(value: number): number {
  return 2 ** (Math.max(-14, Math.floor(Math.log2(Math.abs(value) || 2 ** -20))) - 10);
}
