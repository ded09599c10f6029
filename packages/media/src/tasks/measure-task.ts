import {
  alphaEdges,
  measureBlurAtEdges,
  measurePass,
  planeOnDisplay,
  widthOf,
  type BlurMeasure,
  type MeasuredPlane,
  type PassMeasure,
} from '@ivrex/core';
import { loadPicture } from '../frames/load-picture';
import type { PassFile } from '../frames/pass-files';
import { openImage } from '../formats/image-file';
import { channelsInLayer, layersOf, shortName } from '../formats/layers';
import type { NodeHost } from '../host/node-host';

/** What the pixels of one file say, layer by layer. */
export interface FileMeasure {
  readonly layers: readonly { readonly part: number; readonly layer: string; readonly measure: PassMeasure }[];
}

/** Reads the whole file once and measures each layer. */
export async function measureFile(file: string, host: NodeHost): Promise<FileMeasure> {
  const opened = await openImage(file, host);
  const layers: FileMeasure['layers'][number][] = [];
  for (const { part, layer } of layersOf(opened.header)) {
    if (opened.header.parts[part].kind === 'deep') continue;
    const image = await opened.decode(part, channelsInLayer(opened.header, { part, layer }));
    const planes: MeasuredPlane[] = image.planes.map((plane) => ({
      name: shortName(opened.header, { part, layer }, plane.name),
      type: plane.type,
      // Ids above 2^24 stay what they are.
      data: plane.data,
    }));
    layers.push({ part, layer, measure: measurePass(planes, widthOf(image.dataWindow)) });
  }
  return { layers };
}

/** Is the beauty already blurred along this motion pass? Raw channels are enough. Null when nothing can be told. */
export async function measureBeautyBlur(beauty: PassFile, motion: PassFile, host: NodeHost): Promise<BlurMeasure | null> {
  const picture = await loadPicture(beauty, host);
  const opened = await openImage(motion.file, host);
  const names = channelsInLayer(opened.header, motion).slice(0, 8);
  const find = (...patterns: RegExp[]) =>
    patterns.map((p) => names.find((n) => p.test(shortName(opened.header, motion, n)))).find((n) => n !== undefined);
  const x = find(/^(next|forward|fwd|motion)?.?(x|u)$/i, /^r(ed)?$/i),
    y = find(/^(next|forward|fwd|motion)?.?(y|v)$/i, /^g(reen)?$/i);
  if (x === undefined || y === undefined || x === y) return null;
  const image = await opened.decode(motion.part, [x, y]);
  const [px, py] = image.planes.map((p) => planeOnDisplay(image, p));
  const rest = measurePass(image.planes).channels.map((c) => c.rest);
  const { width, height, rgba } = picture;
  if (px.length !== width * height) return null;
  const alpha = new Float32Array(width * height);
  for (let i = 0; i < alpha.length; i++) alpha[i] = rgba[i * 4 + 3];
  const edges = alphaEdges(alpha, width);
  const [alongX, alongY] = [px, py].map((plane, axis) => Float32Array.from(edges, (i) => plane[i] - rest[axis]));
  return measureBlurAtEdges(alpha, width, edges, alongX, alongY);
}
