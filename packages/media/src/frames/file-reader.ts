import { heightOf, planeOnDisplay, widthOf } from '@ivrex/core';
import { openImage } from '../formats/image-file';
import type { ImageHeader, OpenedImage } from '../formats/image-format';
import { channelsInLayer } from '../formats/layers';
import type { NodeHost } from '../host/node-host';
import type { PassFile } from './pass-files';

/** Files that several passes share are read once. */
export class FileReader {
  private readonly opened = new Map<string, Promise<OpenedImage>>();
  constructor(readonly host: NodeHost) {}

  open(file: string): Promise<OpenedImage> {
    const known = this.opened.get(file) ?? openImage(file, this.host);
    this.opened.set(file, known);
    return known;
  }

  /** Planes over the display window by full name. `outside` fills what the data window leaves out. */
  async planes(
    pass: PassFile,
    names: readonly string[] | null,
  ): Promise<{ planes: Map<string, Float32Array>; width: number; height: number; header: ImageHeader }> {
    const opened = await this.open(pass.file);
    const image = await opened.decode(pass.part, names ?? channelsInLayer(opened.header, pass));
    const planes = new Map(image.planes.map((plane) => [plane.name, planeOnDisplay(image, plane)]));
    return { planes, width: widthOf(image.displayWindow), height: heightOf(image.displayWindow), header: opened.header };
  }
}
