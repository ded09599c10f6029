import { alphaEdges, BLURRED_SOFTER, measureBlurAtEdges } from '../../passes/measure-pass';
import { decodeVectors } from '../encoding/decode';
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
  const edges = alphaEdges(alpha, width);
  const at = (data: Float32Array) => Float32Array.from(edges, (i) => data[i]);
  const planes = new Map(now.channels.map((c) => [c.name, at(c.data)]));
  // A motion per second counts the same at every rate: edges are compared with each other.
  const { toNext, valid } = decodeVectors({ planes, width, height, fps: fps ?? 24, beautyAlpha: at(alpha) }, encoding);
  const [x, y] = [0, 1].map((axis) => Float32Array.from(valid, (is, k) => (is === 1 ? toNext[k * 2 + axis] : NaN)));
  const blur = measureBlurAtEdges(alpha, width, edges, x, y);
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
