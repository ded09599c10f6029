import type { Pass, PictureChoice, Raster } from '@ivrex/contract';
import { halfToNumber, linearToSrgb } from '@ivrex/core';
import { useEffect, useRef } from 'react';
import { shownFrame } from '../../viewer/Thumbnail';
import { rasterOf, useRaster } from '../../viewer/use-raster';

const WIDTH = 40,
  HEIGHT = 25;

export interface Place {
  readonly x: number;
  readonly y: number;
}

/** A bit of the picture around a place, over grey, as a reading makes it. Pixels are enlarged, not smoothed. */
export function EdgePreview({ pass, frame, reading, place }: { pass: Pass; frame: number; reading: PictureChoice; place: Place | null }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const raster = rasterOf(useRaster(pass.id, shownFrame(pass, frame), 'picture', 1, reading));
  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context || raster === null || place === null) return;
    const image = context.createImageData(WIDTH, HEIGHT);
    const { width, height } = raster.header,
      halves = raster.planes[0];
    for (let y = 0; y < HEIGHT; y++) {
      for (let x = 0; x < WIDTH; x++) {
        const px = Math.min(width - 1, Math.max(0, place.x + x - (WIDTH >> 1))),
          py = Math.min(height - 1, Math.max(0, place.y + y - (HEIGHT >> 1)));
        const i = (py * width + px) * 4,
          o = (y * WIDTH + x) * 4;
        const clear = 1 - Math.min(1, Math.max(0, halfToNumber(halves[i + 3])));
        for (let c = 0; c < 3; c++) {
          const v = halfToNumber(halves[i + c]) + clear * 0.18;
          image.data[o + c] = 255 * linearToSrgb(Math.min(1, Math.max(0, v)));
        }
        image.data[o + 3] = 255;
      }
    }
    context.putImageData(image, 0, 0);
    context.canvas.dataset.drawn = 'yes';
  }, [raster, place]);
  return <canvas ref={canvas} width={WIDTH} height={HEIGHT} aria-hidden />;
}

/** A partly covered pixel most of whose neighbours are partly covered too: the softest edge. The middle when there is none. */
export function softestEdge(raster: Raster): Place {
  const { width, height } = raster.header,
    halves = raster.planes[0];
  let best = { x: width >> 1, y: height >> 1 },
    score = 0;
  const partial = (x: number, y: number) => {
    const a = halfToNumber(halves[(y * width + x) * 4 + 3]);
    return a > 0.05 && a < 0.95 ? 1 : 0;
  };
  for (let y = 4; y < height - 4; y += 3) {
    for (let x = 4; x < width - 4; x += 3) {
      if (partial(x, y) === 0) continue;
      const here =
        partial(x - 2, y) + partial(x + 2, y) + partial(x, y - 2) + partial(x, y + 2) + partial(x - 4, y) + partial(x + 4, y) + 1;
      if (here > score) [score, best] = [here, { x, y }];
    }
  }
  return best;
}
