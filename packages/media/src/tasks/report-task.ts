import { compareWithin, viewColours, type DisplayTransform, type PlacedComparison } from '@ivrex/core';
import type { PictureFile } from '../frames/pass-files';
import { loadReference } from './match-task';
import { loadSharp } from '../host/load-sharp';
import type { NodeHost } from '../host/node-host';

/** One blurred frame of a shot report. */
export interface ReportFrameRequest {
  readonly width: number;
  readonly height: number;
  readonly rgba: Float32Array;
  readonly sharp: Float32Array;
  readonly reference: PictureFile | null;
  readonly transform: DisplayTransform;
}

export interface ReportFrame {
  /** Against the reference; null without one. */
  readonly figures: PlacedComparison | null;
  /** The same of the sharp picture: what the blur is worth. */
  readonly before: PlacedComparison | null;
  readonly pictures: readonly { readonly title: string; readonly png: Uint8Array }[];
  readonly warnings: readonly string[];
}

/** Pictures in a report are no wider than this. */
const MOST_WIDTH = 640;
/** Differences are shown this much stronger. */
const GAIN = 4;

/** @throws IvrexError about the file that is at fault */
export async function reportFrame(request: ReportFrameRequest, host: NodeHost): Promise<ReportFrame> {
  const { width, height, rgba: blurred, sharp, transform } = request;
  const reference = request.reference === null ? null : await loadReference(request.reference, request, host);
  const against = (rgba: Float32Array) => reference && compareWithin(rgba, reference.rgba, width, height, sharp, null, null);
  const png = async (title: string, rgb: Float32Array) => ({ title, png: await pngOf(rgb, width, height) });
  const pictures = [
    await png('Sharp', viewColours(sharp, transform)),
    await png('Blurred', viewColours(blurred, transform)),
    ...(reference === null
      ? []
      : [
          await png('Reference', viewColours(reference.rgba, transform)),
          await png(`Difference, ${GAIN} times`, differenceOf(blurred, reference.rgba)),
        ]),
  ];
  return {
    figures: against(blurred),
    before: against(sharp),
    pictures,
    warnings: reference?.warnings ?? [],
  };
}

function differenceOf(a: Float32Array, b: Float32Array): Float32Array {
  const out = new Float32Array((a.length / 4) * 3);
  for (let i = 0, o = 0; i < a.length; i += 4, o += 3) for (let c = 0; c < 3; c++) out[o + c] = GAIN * Math.abs(a[i + c] - b[i + c]);
  return out;
}

/** 8 bits, made smaller when it is wide. */
async function pngOf(rgb: Float32Array, width: number, height: number): Promise<Uint8Array> {
  const data = Uint8Array.from(rgb, (v) => Math.round(255 * Math.min(1, Math.max(0, v || 0))));
  const encode = await loadSharp(),
    image = encode(data, { raw: { width, height, channels: 3 } });
  return (width > MOST_WIDTH ? image.resize(MOST_WIDTH) : image).png({ compressionLevel: 9 }).toBuffer();
}
