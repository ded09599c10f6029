import { resizePlane } from '../raster/resize';

/** Which frame of a plate of another rate is shown: its own number, or the one that was filmed at that time. */
export type PlateConform = 'asIs' | 'time';
/** `asIs`: pixel on pixel, middles together. `fit`: all of it is seen. `fill`: all of the frame is covered. `stretch`: to the frame's shape. */
export type PlateFit = 'asIs' | 'fit' | 'fill' | 'stretch';

/** The plate's frame for a frame of the shot. `first` is the frame at which both start. */
export function plateFrame(conform: PlateConform, frame: number, first: number, shotFps: number, plateFps: number): number {
  if (conform === 'asIs' || shotFps === plateFps) return frame;
  // A little more than nothing, so that 24 of 25 does not fall on the frame before.
  return first + Math.floor(((frame - first) * plateFps) / shotFps + 1e-6);
}

/** What conforming does, in words. */
export function describeConform(conform: PlateConform, shotFps: number, plateFps: number): string {
  const rates = `the plate has ${plateFps} frames a second, the shot ${shotFps}`;
  if (shotFps === plateFps) return 'the plate and the shot have the same rate';
  if (conform === 'asIs') return `${rates}: frame by frame, so that it runs at ${((100 * shotFps) / plateFps).toFixed(1)} % of its speed`;
  const ratio = plateFps / shotFps;
  return ratio > 1
    ? `${rates}: by time, so that ${(100 * (1 - 1 / ratio)).toFixed(1)} % of its frames are dropped`
    : `${rates}: by time, so that ${(100 * (1 - ratio)).toFixed(1)} % of the frames repeat the one before`;
}

export interface FitSize {
  readonly width: number;
  readonly height: number;
  readonly pixelAspect: number;
}

/** Where the plate lies in the frame, in the frame's pixels. */
export function plateBox(plate: FitSize, frame: FitSize, fit: PlateFit): { x: number; y: number; width: number; height: number } {
  // As wide as it looks, in pixels of the frame.
  const across = (plate.width * plate.pixelAspect) / frame.pixelAspect,
    scaleX = frame.width / across,
    scaleY = frame.height / plate.height;
  const scale = fit === 'fit' ? Math.min(scaleX, scaleY) : fit === 'fill' ? Math.max(scaleX, scaleY) : 1;
  const width = fit === 'stretch' ? frame.width : across * scale,
    height = fit === 'stretch' ? frame.height : plate.height * scale;
  return { x: (frame.width - width) / 2, y: (frame.height - height) / 2, width, height };
}

/**
 * A plate laid into the frame: RGBA, black where it does not reach. Made smaller it is averaged (boxes of its own pixels), made larger linear
 * between pixels. The same array when it fits as it is.
 */
export function fitPlate(rgba: Float32Array, plate: FitSize, frame: FitSize, fit: PlateFit): Float32Array {
  const box = plateBox(plate, frame, fit);
  if (box.width === plate.width && box.height === plate.height && plate.width === frame.width && plate.height === frame.height) return rgba;
  const out = new Float32Array(frame.width * frame.height * 4);
  // Whole blocks first, so that the linear step makes it less than twice smaller and no pixel is skipped.
  const byX = Math.max(1, Math.floor(plate.width / box.width)),
    byY = Math.max(1, Math.floor(plate.height / box.height));
  const width = Math.ceil(plate.width / byX),
    height = Math.ceil(plate.height / byY);
  for (let c = 0; c < 4; c++) {
    const small = new Float32Array(width * height);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        let sum = 0,
          count = 0;
        for (let sy = y * byY; sy < Math.min(plate.height, (y + 1) * byY); sy++)
          for (let sx = x * byX; sx < Math.min(plate.width, (x + 1) * byX); sx++, count++) sum += rgba[(sy * plate.width + sx) * 4 + c];
        small[y * width + x] = sum / count;
      }
    const wide = Math.max(1, Math.round(box.width)),
      tall = Math.max(1, Math.round(box.height));
    const scaled = resizePlane(small, width, height, wide, tall);
    const left = Math.round(box.x),
      top = Math.round(box.y);
    for (let y = Math.max(0, top); y < Math.min(frame.height, top + tall); y++)
      for (let x = Math.max(0, left); x < Math.min(frame.width, left + wide); x++)
        out[(y * frame.width + x) * 4 + c] = scaled[(y - top) * wide + x - left];
  }
  return out;
}
