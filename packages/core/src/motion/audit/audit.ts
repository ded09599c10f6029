import { clippedPixels } from './clipped';
import { decodeMotion, type StoredMotion } from '../encoding/decode';
import type { Encoding } from '../encoding/encoding';
import { INTEGER_STEPS, type StoredType } from '../encoding/encode';
import type { SampleType } from '../../raster/image';

/** What one frame of a motion pass holds, in pixels per frame of its own display window. */
export interface FrameAudit {
  readonly peakPx: number;
  /** The speed that a thousandth of the moving pixels exceeds. */
  readonly p999Px: number;
  /** Over pixels that move by more than a twentieth of a pixel. */
  readonly meanPx: number;
  /** The largest x or y, either way: what the range of a target must hold. */
  readonly rangePx: number;
  /** The same, leaving out a thousandth of the moving pixels. */
  readonly steadyRangePx: number;
  /** Pixels whose value is stuck at the end of what the file can hold. */
  readonly clipped: number;
  readonly nan: number;
  readonly inf: number;
  /** Pixels without a vector, NaN and infinity among them. */
  readonly invalid: number;
  /** Where the peak is. */
  readonly at: { readonly x: number; readonly y: number };
}

const MOVING_PX = 0.05;

/** @throws IvrexError as `decodeMotion` */
export function auditFrame(stored: StoredMotion, encoding: Encoding, types: ReadonlyMap<string, SampleType>): FrameAudit {
  const field = decodeMotion(stored, encoding);
  const { toNext, toPrevious, valid, twoSided, width } = field;
  let peak = 0,
    at = 0,
    invalid = 0,
    sum = 0;
  const speeds: number[] = [],
    reaches: number[] = [];
  for (let i = 0; i < valid.length; i++) {
    if (valid[i] === 0) {
      invalid++;
      continue;
    }
    let speed = Math.hypot(toNext[i * 2], toNext[i * 2 + 1]),
      reach = Math.max(Math.abs(toNext[i * 2]), Math.abs(toNext[i * 2 + 1]));
    if (twoSided) {
      speed = Math.max(speed, Math.hypot(toPrevious[i * 2], toPrevious[i * 2 + 1]));
      reach = Math.max(reach, Math.abs(toPrevious[i * 2]), Math.abs(toPrevious[i * 2 + 1]));
    }
    if (speed <= MOVING_PX) continue;
    speeds.push(speed);
    reaches.push(reach);
    sum += speed;
    if (speed > peak) {
      peak = speed;
      at = i;
    }
  }
  const { nan, inf } = countNotFinite(stored);
  const sortedReach = Float64Array.from(reaches).sort();
  return {
    peakPx: peak,
    p999Px: quantile(Float64Array.from(speeds).sort(), 0.999),
    meanPx: speeds.length === 0 ? 0 : sum / speeds.length,
    rangePx: sortedReach.length === 0 ? 0 : sortedReach[sortedReach.length - 1],
    steadyRangePx: quantile(sortedReach, 0.999),
    clipped: clippedPixels(stored, encoding, types).count,
    nan,
    inf,
    invalid,
    at: { x: at % width, y: Math.floor(at / width) },
  };
}

function quantile(sorted: Float64Array, p: number): number {
  return sorted.length === 0 ? 0 : sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * p))];
}

function countNotFinite({ planes }: StoredMotion): { nan: number; inf: number } {
  let nan = 0,
    inf = 0;
  for (const plane of planes.values()) {
    for (let i = 0; i < plane.length; i++) {
      const v = plane[i];
      if (v - v === 0) continue;
      if (v !== v) nan++;
      else inf++;
    }
  }
  return { nan, inf };
}

export interface SequenceAudit {
  /** The frame that needs the largest range; null without frames. */
  readonly widestFrame: number | null;
  readonly rangePx: number;
  /** A round range with head-room for all frames. */
  readonly suggestedRangePx: number;
  /** The same without the fastest thousandth of each frame's pixels: what single stray vectors cost. */
  readonly steadySuggestionPx: number;
  /** One step of each type at the suggested range around a centred zero (half: at full speed), pixels. */
  readonly stepPx: Readonly<Record<StoredType, number>>;
  readonly clippedFrames: readonly number[];
  readonly notFiniteFrames: readonly number[];
}

/** Head-room over the largest vector: between frames things move, and a filter overshoots. */
const HEAD_ROOM = 1.1;

export function summarizeAudit(frames: readonly { readonly frame: number; readonly audit: FrameAudit }[]): SequenceAudit {
  let widest: (typeof frames)[number] | null = null,
    steady = 0;
  for (const f of frames) {
    if (widest === null || f.audit.rangePx > widest.audit.rangePx) widest = f;
    steady = Math.max(steady, f.audit.steadyRangePx);
  }
  const rangePx = widest?.audit.rangePx ?? 0;
  const suggestedRangePx = roundRange(rangePx * HEAD_ROOM);
  return {
    widestFrame: widest?.frame ?? null,
    rangePx,
    suggestedRangePx,
    steadySuggestionPx: roundRange(steady * HEAD_ROOM),
    stepPx: {
      u8: (2 * suggestedRangePx) / (INTEGER_STEPS.u8 ?? 1),
      u16: (2 * suggestedRangePx) / (INTEGER_STEPS.u16 ?? 1),
      half: suggestedRangePx * 2 ** -11,
      float: suggestedRangePx * 2 ** -24,
    },
    clippedFrames: frames.filter((f) => f.audit.clipped > 0).map((f) => f.frame),
    notFiniteFrames: frames.filter((f) => f.audit.nan + f.audit.inf > 0).map((f) => f.frame),
  };
}

/** The next of 1, 2, 3, 4, 5, 6, 8 times a power of ten, or 16, 32, 64, 128 ... when that is nearer above. */
export function roundRange(px: number): number {
  if (!(px > 0)) return 1;
  const ten = 10 ** Math.floor(Math.log10(px));
  const decimal = [1, 2, 3, 4, 5, 6, 8, 10].map((f) => f * ten).find((v) => v >= px) ?? 10 * ten;
  const power = 2 ** Math.ceil(Math.log2(px));
  return power >= 16 && power < decimal ? power : decimal;
}
