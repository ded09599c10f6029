import type { PassId, PictureChoice, Raster } from '@ivrex/contract';
import { useEffect, useRef, useState } from 'react';
import { sentenceOf } from '../api/request';
import { currentLook, loadRaster, stampOf, type RasterForm } from '../api/raster-cache';

export type RasterState =
  | { readonly status: 'none' }
  | { readonly status: 'loading'; readonly raster: Raster | null }
  | { readonly status: 'ready'; readonly raster: Raster }
  | { readonly status: 'failed'; readonly message: string };

/** A pass at a frame. While the next frame is fetched the one before stays, so that the picture does not blink. */
export function useRaster(
  passId: PassId | null,
  frame: number,
  form: RasterForm,
  every = 1,
  tried: PictureChoice | null = null,
): RasterState {
  const [state, setState] = useState<RasterState>({ status: 'none' });
  // Another offset or reading is another picture.
  const stamp = `${stampOf(passId)} ${tried === null ? '' : JSON.stringify(tried)}`;
  // What failed is tried again when the folder has changed: the frame may have arrived.
  const failedAt = useRef('');
  const [attempt, setAttempt] = useState(0);
  const look = currentLook();
  useEffect(() => {
    if (state.status === 'failed' && failedAt.current !== look) setAttempt((n) => n + 1);
  }, [state.status, look]);
  useEffect(() => {
    if (passId === null || frame === 0) {
      setState({ status: 'none' });
      return;
    }
    let current = true;
    setState((before) => ({ status: 'loading', raster: before.status === 'ready' || before.status === 'loading' ? before.raster : null }));
    loadRaster(passId, frame, form, every, tried).then(
      (raster) => current && setState({ status: 'ready', raster }),
      (error: unknown) => {
        if (!current) return;
        failedAt.current = currentLook();
        setState({ status: 'failed', message: sentenceOf(error) });
      },
    );
    return () => {
      current = false;
    };
  }, [passId, frame, form, every, stamp, attempt]);
  return state;
}

export function rasterOf(state: RasterState): Raster | null {
  return state.status === 'ready' || state.status === 'loading' ? state.raster : null;
}
