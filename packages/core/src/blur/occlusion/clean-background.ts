import type { BlurInput } from '../model/blur-input';
import type { Surfaces } from '../surfaces/surfaces';

/** A surface is in the clean background when most of its pixels look the same there. */
const BACKGROUND_SHARE = 0.6,
  BACKGROUND_DIFFERENCE = 0.03;

/** By surface: 1 where the clean background shows it. */
export function surfacesInBackground({ rgba, background }: BlurInput, { of, count }: Surfaces): Uint8Array {
  const out = new Uint8Array(count);
  if (!background) return out;
  const pixels = new Float64Array(count),
    alike = new Float64Array(count);
  for (let i = 0; i < of.length; i++) {
    if (of[i] < 0) continue;
    pixels[of[i]]++;
    let same = 1;
    for (let c = 0; c < 4; c++) {
      const v = rgba[i * 4 + c];
      if (Math.abs(v - background[i * 4 + c]) > BACKGROUND_DIFFERENCE * (1 + Math.abs(v))) same = 0;
    }
    alike[of[i]] += same;
  }
  for (let s = 0; s < count; s++) out[s] = alike[s] > BACKGROUND_SHARE * pixels[s] ? 1 : 0;
  return out;
}
