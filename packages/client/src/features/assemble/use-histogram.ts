import type { Element } from '@ivrex/contract';
import { halfToNumber, lumaOf, toGreyAxis } from '@ivrex/core';
import { useMemo } from 'react';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';

const BINS = 60,
  LOOKED_AT = 30000;

export type Histograms = Readonly<Record<'luma' | 'red' | 'green' | 'blue', readonly number[]>>;

/** Shares of the covered pixels along the grey axis: of an element's picture as it comes in, or (null) of the assembled one. */
export function useHistogram(element: Element | null): Histograms | null {
  const frame = useView((s) => s.frame),
    assembled = useView((s) => (element === null ? s.assembled : null));
  const beauty = rasterOf(useRaster(element?.beauty ?? null, frame, 'picture'));
  const halves = element === null ? (assembled?.halves ?? null) : ((beauty?.planes[0] as Uint16Array | undefined) ?? null);
  return useMemo(() => (halves === null ? null : histogramsOf(halves)), [halves]);
}

export function histogramsOf(halves: Uint16Array): Histograms {
  const out = {
    luma: new Array<number>(BINS).fill(0),
    red: new Array<number>(BINS).fill(0),
    green: new Array<number>(BINS).fill(0),
    blue: new Array<number>(BINS).fill(0),
  };
  // An odd step, so that columns are not all of one parity.
  const every = Math.max(1, Math.floor(halves.length / 4 / LOOKED_AT)) | 1;
  const put = (bins: number[], light: number) => bins[Math.min(BINS - 1, Math.floor(toGreyAxis(light) * BINS))]++;
  for (let i = 0; i < halves.length / 4; i += every) {
    const a = halfToNumber(halves[i * 4 + 3]);
    if (!(a > 0.5)) continue;
    const [r, g, b] = [0, 1, 2].map((c) => halfToNumber(halves[i * 4 + c]) / a);
    put(out.red, r);
    put(out.green, g);
    put(out.blue, b);
    put(out.luma, lumaOf(r, g, b));
  }
  return out;
}
