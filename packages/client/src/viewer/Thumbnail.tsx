import type { Pass, PassId, Role } from '@ivrex/contract';
import { isDataRole } from '@ivrex/contract';
import { linearToSrgb, halfToNumber, type DepthEncoding } from '@ivrex/core';
import { useEffect, useRef } from 'react';
import { showData } from './data-picture';
import { rasterOf, useRaster } from './use-raster';

interface Props {
  readonly passId: PassId | null;
  readonly role: Role;
  readonly frame: number;
  readonly width: number;
  /** How a depth pass is stored, where that is known. */
  readonly depth?: DepthEncoding | null;
  /** About how wide it is shown, in pixels. */
  readonly shownWidth?: number;
}

/** A small picture of a pass: pictures through sRGB, data scaled to be seen. */
export function Thumbnail({ passId, role, frame, width, depth = null, shownWidth = 300 }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const every = Math.max(1, Math.floor(width / shownWidth));
  const state = useRaster(passId, frame, isDataRole(role) ? 'planes' : 'picture', every);
  const raster = rasterOf(state);
  const drawn = useRef(false);
  useEffect(() => {
    const element = canvas.current,
      context = element?.getContext('2d');
    if (!element || !context || raster === null) return;
    const { width: w, height: h } = raster.header;
    Object.assign(element, { width: w, height: h });
    const image = context.createImageData(w, h);
    if (raster.header.format === 'planes32f') {
      const { rgba } = showData(raster, role, undefined, depth);
      for (let i = 0; i < rgba.length; i++) image.data[i] = 255 * rgba[i];
    } else {
      const halves = raster.planes[0];
      for (let i = 0; i < w * h; i++) {
        const clear = 1 - Math.min(1, halfToNumber(halves[i * 4 + 3]));
        for (let c = 0; c < 3; c++)
          image.data[i * 4 + c] = 255 * linearToSrgb(Math.min(1, Math.max(0, halfToNumber(halves[i * 4 + c]) + clear * 0.03)));
        image.data[i * 4 + 3] = 255;
      }
    }
    context.putImageData(image, 0, 0);
    element.dataset.drawn = 'yes';
    drawn.current = true;
  }, [raster, role, depth]);
  // Moving over a gap keeps the picture before it.
  if (state.status === 'failed' && !drawn.current)
    return (
      <span className="quiet" style={{ placeSelf: 'center', padding: 8 }}>
        {state.message}
      </span>
    );
  return <canvas ref={canvas} aria-hidden />;
}

export function shownFrame(pass: Pick<Pass, 'frames' | 'missing'>, frame: number): number {
  if (pass.frames === null || pass.frames.length === 0 || pass.frames.includes(frame)) return frame;
  // A reference has single frames: the nearest one stands for it.
  return pass.frames.reduce((best, f) => (Math.abs(f - frame) < Math.abs(best - frame) ? f : best), pass.frames[0]);
}
