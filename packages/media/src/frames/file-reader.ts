import { heightOf, planeOnDisplay, widthOf, type Image } from '@ivrex/core';
import { openImage } from '../formats/image-file';
import type { ImageHeader, OpenedImage } from '../formats/image-format';
import { channelsInLayer } from '../formats/layers';
import type { NodeHost } from '../host/node-host';
import type { PassFile } from './pass-files';

/** Files that several passes share are read once. */
export class FileReader {
  private readonly opened = new Map<string, Promise<OpenedImage>>();
  /** By file and part. */
  private readonly wanted = new Map<string, Set<string>>();
  private readonly decoded = new Map<string, Promise<Image>>();
  constructor(readonly host: NodeHost) {}

  open(file: string): Promise<OpenedImage> {
    const known = this.opened.get(file) ?? this.openOnce(file);
    this.opened.set(file, known);
    return known;
  }

  private async openOnce(file: string): Promise<OpenedImage> {
    const opened = await openImage(file, this.host);
    return { ...opened, decode: (part, names) => this.decode(`${part} ${file}`, opened, part, names) };
  }

  /** Says that these channels (full names) are going to be asked for: the first who asks has the file's blocks unpacked for all of them. */
  want({ file, part }: PassFile, names: readonly string[]): void {
    const key = `${part} ${file}`,
      known = this.wanted.get(key) ?? new Set();
    for (const name of names) known.add(name);
    this.wanted.set(key, known);
  }

  private async decode(key: string, opened: OpenedImage, part: number, names: readonly string[] | null): Promise<Image> {
    const wanted = this.wanted.get(key);
    if (names === null || wanted === undefined || !names.every((name) => wanted.has(name))) return opened.decode(part, names);
    const all = this.decoded.get(key) ?? opened.decode(part, [...wanted]);
    this.decoded.set(key, all);
    const image = await all;
    return { ...image, planes: image.planes.filter((plane) => names.includes(plane.name)) };
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
