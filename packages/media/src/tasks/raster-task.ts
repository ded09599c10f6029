import { heightOf, planeOnDisplay, widthOf } from '@ivrex/core';
import { packRaster } from '@ivrex/contract';
import { loadPicture } from '../frames/load-picture';
import type { PictureFile } from '../frames/pass-files';
import { openImage } from '../formats/image-file';
import { channelsInLayer, shortName } from '../formats/layers';
import type { NodeHost } from '../host/node-host';

export interface RasterRequest {
  readonly pass: PictureFile;
  readonly form: 'picture' | 'planes';
  /** Every n-th pixel of every n-th row: enough for a thumbnail. 1 is everything. */
  readonly every: number;
}

/** Pixels for the page: a picture as interleaved halves, data bit-exact as float planes (ids up to 2^24 exact). */
export async function loadRaster(request: RasterRequest, host: NodeHost): Promise<Uint8Array> {
  const { pass, every } = request;
  if (request.form === 'picture') {
    const { width, height, rgba } = await loadPicture(pass, host);
    const small = thin(rgba, width, height, 4, every);
    const halves = new Uint16Array(small.length);
    host.kernels.floatToHalf(small, halves);
    return packRaster({ width: Math.ceil(width / every), height: Math.ceil(height / every), format: 'rgba16f', names: ['rgba'] }, [halves]);
  }
  const opened = await openImage(pass.file, host);
  const image = await opened.decode(pass.part, channelsInLayer(opened.header, pass));
  const width = widthOf(image.displayWindow),
    height = heightOf(image.displayWindow);
  return packRaster(
    {
      width: Math.ceil(width / every),
      height: Math.ceil(height / every),
      format: 'planes32f',
      names: image.planes.map((p) => shortName(opened.header, pass, p.name)),
    },
    image.planes.map((plane) => thin(planeOnDisplay(image, plane), width, height, 1, every)),
  );
}

function thin(src: Float32Array, width: number, height: number, channels: number, every: number): Float32Array {
  if (every === 1) return src;
  const w = Math.ceil(width / every),
    h = Math.ceil(height / every);
  const out = new Float32Array(w * h * channels);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      for (let c = 0; c < channels; c++) out[(y * w + x) * channels + c] = src[(y * every * width + x * every) * channels + c];
    }
  }
  return out;
}
