import { TRUST_CAUSES, halfToNumber, lumaOf, SEEN_ERROR, type TrustCause } from '@ivrex/core';
import type { Raster, TrustReport } from '@ivrex/contract';
import { useEffect } from 'react';
import { loadRaster, loadTrustMap } from '../../api/raster-cache';
import { sentenceOf } from '../../api/request';
import type { ShownPixels } from '../../viewer/data-picture';
import { useView } from '../../viewer/view-store';
import { useShotContext } from '../shot/ShotPage';

/** Draws the trust map of a frame over its picture: the chosen causes together. */
export function useTrustLook(report: Pick<TrustReport, 'map' | 'verdict'> | null, frame: number, causes: ReadonlySet<TrustCause>): void {
  const { detail } = useShotContext();
  const [{ beauty }] = detail.settings.elements;
  const look = useView((s) => s.look);
  const map = report?.map ?? null,
    from = report?.verdict.markedFrom ?? SEEN_ERROR;
  const chosen = [...causes].sort().join(' ');
  useEffect(() => {
    if (look !== 'trust') return;
    if (map === null || beauty === null) {
      useView.setState({ trustLook: null });
      return;
    }
    let current = true;
    Promise.all([loadTrustMap(map), loadRaster(beauty, frame, 'picture')]).then(
      ([planes, picture]) => current && useView.setState({ trustLook: shown(planes, picture, causes, from) }),
      (error: unknown) => current && useView.setState({ trustLook: null, problem: sentenceOf(error) }),
    );
    return () => {
      current = false;
    };
  }, [look, map, from, beauty, frame, chosen]);
}

/** The picture in grey; its worst places turn amber, and red where an error is likely to be seen. */
function shown({ header, planes }: Raster, picture: Raster, causes: ReadonlySet<TrustCause>, from: number): ShownPixels {
  const { width, height, names } = header;
  const wanted = TRUST_CAUSES.filter((cause) => causes.has(cause)).map((cause) => planes[names.indexOf(cause)]);
  const halves = picture.planes[0],
    rgba = new Float32Array(width * height * 4);
  const light = (i: number) =>
    Math.sqrt(Math.max(0, lumaOf(halfToNumber(halves[i * 4]), halfToNumber(halves[i * 4 + 1]), halfToNumber(halves[i * 4 + 2]))));
  for (let i = 0; i < width * height; i++) {
    let error = 0;
    for (const plane of wanted) error += plane[i];
    const grey = 0.06 + 0.5 * Math.min(1, light(i));
    const amount = error < from ? 0 : error >= SEEN_ERROR ? 1 : 0.35 + (0.65 * Math.log(error / from)) / Math.log(SEEN_ERROR / from);
    const [r, g, b] = error >= SEEN_ERROR ? [0.95, 0.3, 0.22] : [0.95, 0.7, 0.2];
    rgba.set([grey + (r - grey) * amount, grey + (g - grey) * amount, grey + (b - grey) * amount, 1], i * 4);
  }
  return { width, height, rgba, note: 'where the blur is likely to be off: amber where to look first, red so that it would be seen' };
}
