import type { ShotDetail } from '@ivrex/contract';
import { decodeMotion, peakSpeed } from '@ivrex/core';
import { useEffect } from 'react';
import { loadRaster, stampOf } from '../api/raster-cache';
import { useView } from './view-store';

/** A thinned pass is enough for a bar in the strip. */
const EVERY = 4;

/** The longest vector of every frame, one after another in the background, under the encoding that is agreed. */
export function usePeaks(detail: ShotDetail): void {
  const { motion, encoding } = detail.settings.elements[0];
  const pass = detail.passes.find((p) => p.id === motion);
  // Shifted numbers are other frames.
  const key = JSON.stringify([motion, encoding, stampOf(motion)]);
  useEffect(() => {
    useView.setState({ peaks: new Map() });
    if (pass === undefined || encoding === null) return;
    let current = true;
    const scan = async () => {
      for (const frame of pass.frames ?? [detail.shot.firstFrame]) {
        const raster = await loadRaster(pass.id, frame, 'planes', EVERY).catch(() => null);
        if (!current) return;
        if (raster === null) continue;
        const { width, height, names } = raster.header;
        const planes = new Map(names.map((name, i) => [name, raster.planes[i] as Float32Array]));
        try {
          const field = decodeMotion(
            { planes, width, height, fps: pass.fps, beautyAlpha: new Float32Array(width * height).fill(1) },
            encoding,
          );
          // Frame-relative units were read against the thinned size.
          const scale = encoding.fullScale.unit === 'px' ? 1 : EVERY;
          useView.setState((s) => ({ peaks: new Map(s.peaks).set(frame, peakSpeed(field) * scale) }));
        } catch {
          // The step itself says what is wrong with the encoding; the strip just stays empty.
          return;
        }
      }
    };
    void scan();
    return () => {
      current = false;
    };
  }, [key, pass?.sequenceId]);
}
