import type { SampleType } from '../raster/image';
import { clippedPixels } from './audit/clipped';
import { decodeMotion, type StoredMotion } from './encoding/decode';
import { named, type Encoding } from './encoding/encoding';
import { halfSteps } from './encoding/half-step';
import { repairField, type RepairedField } from './repair/repair-field';
import type { RepairStep } from './repair/repair-step';

/**
 * A stored frame under an encoding, with its repairs: what every use of the pass reads. `coverage` is the beauty's alpha at the pass's
 * size, null when there is none. @throws IvrexError as `decodeMotion`
 */
export function readMotion(
  stored: StoredMotion,
  types: ReadonlyMap<string, SampleType>,
  encoding: Encoding,
  repairs: readonly RepairStep[],
  coverage: Float32Array | null,
): RepairedField {
  const field = decodeMotion(stored, encoding);
  const steps = repairs.filter((step) => step.on);
  if (steps.length === 0) return { field, changed: {} };
  const fills = steps.find((step) => step.kind === 'fillHoles');
  return repairField(field, steps, {
    alpha: coverage,
    clipped: fills?.kind === 'fillHoles' && fills.clipped ? clippedPixels(stored, encoding, types).mask : null,
    black: fills === undefined ? null : blackPixels(stored, encoding),
    halfStep: steps.some((step) => step.kind === 'smoothSteps') ? halfSteps(stored, encoding, types) : null,
  });
}

/** Where x and y hold exactly nothing although nothing means a large motion. */
function blackPixels({ planes }: StoredMotion, encoding: Encoding): Uint8Array | null {
  if (Math.abs(encoding.zero) < 0.1) return null;
  const [{ x, y, length }] = encoding.sets;
  const xs = named(planes, x),
    ys = named(planes, y);
  if (length !== null || xs === undefined || ys === undefined) return null;
  return Uint8Array.from(xs, (v, i) => (v === 0 && ys[i] === 0 ? 1 : 0));
}
