import type { ShotDetail } from '@ivrex/contract';
import type { PlacedComparison } from '@ivrex/core';
import { wrap, type Remote } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import { pictureOf, sideKey } from '../../viewer/compare-state';
import { rasterOf, useRaster } from '../../viewer/use-raster';
import { useView } from '../../viewer/view-store';
import type { CompareWorker } from '../../workers/compare-worker';
import { useShotContext } from '../shot/ShotPage';

export type Figures =
  | { readonly status: 'none' | 'working' }
  | { readonly status: 'ready'; readonly figures: PlacedComparison; readonly isPassing: boolean }
  | { readonly status: 'failed'; readonly message: string };

/** Kept for the strip, as long as the two pictures and what is counted stay the same. */
function remember({ settings, look }: ShotDetail, frame: number, decibels: number): void {
  const { compare, compared } = useView.getState();
  const { a, b, scope, region } = compare;
  const of = JSON.stringify([sideKey(a), sideKey(b), scope, region, look, a.kind === 'blurred' || b.kind === 'blurred' ? settings : null]);
  const byFrame = new Map(compared.of === of ? compared.byFrame : []).set(frame, decibels);
  useView.setState({ compared: { of, byFrame } });
}

/** What the two compared pictures differ by, measured in a worker whenever either of them changes. */
export function useFigures(): Figures {
  const { detail } = useShotContext();
  const { a, b } = useView((s) => s.sides),
    compare = useView((s) => s.compare),
    frame = useView((s) => s.frame),
    look = useView((s) => s.look);
  const sharp = rasterOf(useRaster(detail.settings.elements[0].beauty, frame, 'picture'));
  const worker = useRef<{ thread: Worker; remote: Remote<CompareWorker> } | null>(null);
  const [figures, setFigures] = useState<Figures>({ status: 'none' });
  useEffect(() => {
    const thread = new Worker(new URL('../../workers/compare-worker.ts', import.meta.url), { type: 'module' });
    worker.current = { thread, remote: wrap<CompareWorker>(thread) };
    return () => thread.terminate();
  }, []);
  const { scope, region } = compare;
  const ours = pictureOf(a),
    theirs = pictureOf(b);
  useEffect(() => {
    if (look !== 'compare' || ours === null || theirs === null) {
      setFigures({ status: 'none' });
      return;
    }
    const { width, height } = ours;
    if (theirs.width !== width || theirs.height !== height) {
      setFigures({
        status: 'failed',
        message: `A is ${width} x ${height}, B ${theirs.width} x ${theirs.height}: only pictures of one size have figures.`,
      });
      return;
    }
    let current = true;
    setFigures((before) => (before.status === 'ready' ? { ...before, isPassing: true } : { status: 'working' }));
    const isOne = sharp?.header.width === width && sharp.header.height === height;
    worker.current?.remote
      .compare({
        width,
        height,
        a: ours.halves,
        b: theirs.halves,
        // What an element's blur changes says nothing about the whole picture.
        sharp: isOne && compare.a.kind !== 'assembled' && compare.b.kind !== 'assembled' ? (sharp.planes[0] as Uint16Array) : null,
        box: scope === 'region' ? region : null,
        coveredOnly: scope === 'element',
      })
      .then(
        (found) => {
          if (!current) return;
          const isPassing = a.status !== 'ready' || b.status !== 'ready';
          if (found !== null && !isPassing && found.maskedPsnr !== null) remember(detail, frame, found.maskedPsnr);
          setFigures(
            found === null
              ? { status: 'failed', message: 'There is nothing to compare here.' }
              : { status: 'ready', figures: found, isPassing },
          );
        },
        () => current && setFigures({ status: 'failed', message: 'The figures could not be made.' }),
      );
    return () => {
      current = false;
    };
  }, [look, ours?.halves, theirs?.halves, sharp, scope, region, a.status, b.status]);
  return figures;
}
