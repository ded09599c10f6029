import {
  apertureTable,
  assembleRows,
  blurRadius,
  defocusPicture,
  fitPlate,
  gradeTables,
  heightOf,
  resizePicture,
  sharedCopy,
  sharedFloats,
  widthOf,
  type AssembledElement,
  type Attribute,
  type ElementShape,
  type Finish,
  type Grade,
  type Lens,
  type PlateFit,
  type Window,
} from '@ivrex/core';
import { heldSharedOf } from '../host/collect';
import { FileReader } from '../frames/file-reader';
import { loadStillDepth } from '../frames/depth-pass';
import { loadElementPicture, loadPicture } from '../frames/load-picture';
import type { FrameFiles, PictureFile } from '../frames/pass-files';
import type { NodeHost } from '../host/node-host';

/** An element that does not move, or that is blurred already. */
export interface StillRequest {
  readonly files: Pick<FrameFiles, 'beauty' | 'matte' | 'depth'>;
  readonly shape: ElementShape;
  readonly grade: Grade | null;
  readonly lens: Lens | null;
}

export interface StillElement {
  readonly width: number;
  readonly height: number;
  /** Shared memory, premultiplied RGBA. */
  readonly rgba: Float32Array;
  readonly displayWindow: Window;
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly warnings: readonly string[];
}

/** @throws IvrexError about the file that is at fault */
export async function loadStillElement({ files, shape, grade, lens }: StillRequest, host: NodeHost): Promise<StillElement> {
  const reader = new FileReader(host),
    warnings: string[] = [];
  const picture = await loadElementPicture(files, shape, reader);
  warnings.push(...picture.warnings);
  const { width, height, displayWindow, attributes } = picture;
  let rgba = picture.rgba;
  const tables = gradeTables(grade);
  if (tables !== null) {
    rgba = rgba.slice();
    host.kernels.grade(rgba, tables);
  }
  const depth = lens === null ? null : await loadStillDepth(files, shape, picture, reader, warnings);
  if (lens !== null && depth !== null) {
    const radii = depth.map((d) => blurRadius(lens, d));
    let most = 0;
    for (const radius of radii) most = Math.max(most, radius);
    rgba = defocusPicture(rgba, width, height, radii, apertureTable(lens.aperture, most, 'final'), host.kernels);
  }
  const shared = sharedCopy(rgba);
  heldSharedOf(shared);
  return { width, height, rgba: shared, displayWindow, attributes, warnings };
}

/** A blurred element of a size of its own. */
export interface SizedElement extends AssembledElement {
  readonly name: string;
  readonly width: number;
  readonly height: number;
}

export interface AssembleRequest {
  readonly width: number;
  readonly height: number;
  readonly pixelAspect: number;
  readonly frame: number;
  readonly below: { readonly picture: PictureFile; readonly fit: PlateFit; readonly pixelAspect: number } | null;
  /** From the farthest to the nearest. */
  readonly elements: readonly SizedElement[];
  readonly finish: Finish;
}

export interface AssembledPicture {
  /** Shared memory, premultiplied RGBA. */
  readonly rgba: Float32Array;
  /** The plate's, or none. */
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly warnings: readonly string[];
}

/** Lays the elements of one frame over what is below them. @throws IvrexError about the plate's file */
export async function assemblePicture(request: AssembleRequest, host: NodeHost): Promise<AssembledPicture> {
  const { width, height, pixelAspect, frame, below, finish } = request,
    warnings: string[] = [];
  const plate = below && (await loadPicture(below.picture, host));
  let laid: Float32Array | null = null;
  if (plate && below) {
    const size = { width: widthOf(plate.displayWindow), height: heightOf(plate.displayWindow), pixelAspect: below.pixelAspect };
    laid = fitPlate(plate.rgba, size, { width, height, pixelAspect }, below.fit);
  }
  const elements = request.elements.map((element) => {
    if (element.width === width && element.height === height) return element;
    warnings.push(`${element.name} is ${element.width} x ${element.height}, the shot ${width} x ${height}: it was scaled`);
    return { ...element, rgba: resizePicture(element.rgba, element.width, element.height, width, height) };
  });
  const out = sharedFloats(width * height * 4);
  assembleRows({ width, height }, laid, elements, finish, frame, 0, height, out, host.kernels);
  heldSharedOf(out);
  return { rgba: out, attributes: plate?.attributes ?? new Map<string, Attribute>(), warnings };
}
