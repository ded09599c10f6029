import type { ShotDetail } from '@ivrex/contract';
import { useEffect } from 'react';
import { isRasterReady, loadRaster } from '../api/raster-cache';
import { useView } from './view-store';

const AHEAD = 8;

/** The look shows the blur, and that of this frame is not there yet; not when it can't be made. */
function isBlurUnderWay(frame: number): boolean {
  const { look, blurred, field, working, problem } = useView.getState();
  if ((look !== 'blurred' && look !== 'wipe') || problem !== null) return false;
  return blurred?.frame !== frame && (field !== null || working);
}

/** Plays at the shot's rate from frames in memory; a frame that is still under way is waited for, never skipped. */
export function usePlayback(detail: ShotDetail): void {
  const playing = useView((s) => s.playing);
  const { firstFrame, lastFrame, fps } = detail.shot;
  const beauty = detail.settings.elements[0].beauty;
  const missing = detail.passes.find((p) => p.id === beauty)?.missing;
  useEffect(() => {
    if (!playing || beauty === null) return;
    const gone = new Set(missing);
    const after = (frame: number): number => {
      let next = frame;
      do next = next >= lastFrame ? firstFrame : next + 1;
      while (gone.has(next) && next !== frame);
      return next;
    };
    let handle = 0,
      due = performance.now();
    const tick = (now: number) => {
      handle = requestAnimationFrame(tick);
      const { frame, set } = useView.getState(),
        next = after(frame);
      let ahead = frame;
      for (let i = 0; i < AHEAD; i++) loadRaster(beauty, (ahead = after(ahead)), 'picture').catch(() => gone.add(ahead));
      if (now < due || !isRasterReady(beauty, next, 'picture') || isBlurUnderWay(frame)) return;
      due = Math.max(due + 1000 / (fps ?? 24), now - 100);
      set({ frame: next });
    };
    handle = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(handle);
  }, [playing, beauty, missing, firstFrame, lastFrame, fps]);
}
