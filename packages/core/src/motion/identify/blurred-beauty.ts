import { BLURRED_SOFTER, measureBlurAtEdges } from '../../passes/measure-pass';
import { decodeMotion } from '../encoding/decode';
import type { Encoding } from '../encoding/encoding';
import type { BeautyPictures } from './beauty-pictures';
import type { Symptom } from './identification';
import type { StoredPass } from './stored-pass';

/** Says when the beauty's edges are soft where these vectors cross them: it was rendered with motion blur. */
export function blurredBeauty(
  encoding: Encoding,
  { width, height, data: alpha }: BeautyPictures['alpha'],
  now: StoredPass,
  fps: number | null,
): Symptom[] {
  if (now.width !== width || now.height !== height) return [];
  const planes = new Map(now.channels.map((c) => [c.name, c.data]));
  // A motion per second counts the same at every rate: edges are compared with each other.
  const { toNext, valid } = decodeMotion({ planes, width, height, fps: fps ?? 24, beautyAlpha: alpha }, encoding);
  const x = new Float32Array(valid.length),
    y = new Float32Array(valid.length);
  for (let i = 0; i < valid.length; i++) {
    x[i] = valid[i] === 1 ? toNext[i * 2] : NaN;
    y[i] = valid[i] === 1 ? toNext[i * 2 + 1] : NaN;
  }
  const blur = measureBlurAtEdges(alpha, x, y, width, [0, 0]);
  if (blur === null || blur.softer < BLURRED_SOFTER) return [];
  return [
    {
      code: 'blurredBeauty',
      severity: 'warning',
      message: `The beauty seems to hold motion blur already: edges that these vectors cross are ${blur.softer.toFixed(1)} times softer than those they run along.`,
      effect: 'Blurred again it comes out too soft and too long, and motion can be measured in it less well.',
      advice: 'Take the sharp render as the beauty; this one can serve as a reference.',
      mend: { kind: 'otherBeauty' },
      at: null,
    },
  ];
}
