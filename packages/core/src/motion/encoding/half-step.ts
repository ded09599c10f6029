import type { SampleType } from '../../raster/image';
import { planCodec } from './codec-plan';
import type { StoredMotion } from './decode';
import { INTEGER_STEPS } from './encode';
import { named, type Encoding } from './encoding';
import { transferPair } from '../../colour/transfer';

/**
 * How far a decoded vector can lie from what was meant, because its channels hold whole numbers: half a step, pixels per frame, by pixel
 * (a curve makes steps uneven), interleaved x, y. Null for float types, and for direction and length, whose error is no box.
 * @throws IvrexError as `planCodec`
 */
export function halfSteps(stored: StoredMotion, encoding: Encoding, types: ReadonlyMap<string, SampleType>): Float32Array | null {
  if (encoding.sets.some((set) => set.length !== null)) return null;
  const plan = planCodec(encoding, stored);
  const { undo } = transferPair(encoding.transfer);
  const [set] = encoding.sets,
    frames = Math.abs(plan.spans[0].frames);
  const out = new Float32Array(stored.width * stored.height * 2);
  for (const [axis, name] of [set.x, set.y].entries()) {
    const type = named(types, name),
      plane = named(stored.planes, name);
    const codes = type === 'u8' || type === 'u16' ? INTEGER_STEPS[type] : null;
    if (codes === null || plane === undefined) return null;
    const scale = Math.abs(axis === 0 ? plan.scaleX : plan.scaleY) / frames,
      half = 0.5 / codes;
    if (encoding.transfer.kind === 'none') for (let i = axis; i < out.length; i += 2) out[i] = half * scale;
    else for (let i = 0; i < plane.length; i++) out[i * 2 + axis] = (scale * Math.abs(undo(plane[i] + half) - undo(plane[i] - half))) / 2;
  }
  return out;
}
