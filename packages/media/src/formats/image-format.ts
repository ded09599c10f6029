import type { Attribute, ExrLimits, Image, PartKind, SampleType, Window } from '@ivrex/core';
import type { NodeHost } from '../host/node-host';

/** One picture of a file: OpenEXR may hold several, other formats hold one. */
export interface ImagePart {
  readonly name: string | null;
  readonly kind: PartKind;
  readonly compression: string;
  readonly dataWindow: Window;
  readonly displayWindow: Window;
  readonly pixelAspectRatio: number;
  readonly channels: readonly { readonly name: string; readonly type: SampleType }[];
  readonly attributes: ReadonlyMap<string, Attribute>;
  /** How the file says that colour relates to alpha; missing: as its format does. */
  readonly alpha?: AlphaSaid;
}

/** "unsaid": there is alpha, and the file does not say what it means. */
export type AlphaSaid = 'premultiplied' | 'straight' | 'unsaid';

export const FORMAT_NAMES = ['OpenEXR', 'TIFF', 'PNG', 'JPEG', 'DPX', 'movie'] as const;
export interface ImageHeader {
  readonly format: (typeof FORMAT_NAMES)[number];
  readonly parts: readonly ImagePart[];
}

/** A file that was opened once and may be asked for several layers. */
export interface OpenedImage {
  readonly header: ImageHeader;
  readonly warnings: readonly string[];
  /** The named channels (full names; null for all) of one part, over its data window. @throws IvrexError missingChannel, damaged */
  decode(part: number, names: readonly string[] | null): Promise<Image>;
}

/** One kind of file. Every function may throw IvrexError, without the file's name: the caller adds it. */
export interface ImageFormat {
  /** The head of the file alone. */
  loadHeader(file: string, limits: ExrLimits): Promise<ImageHeader>;
  /** Looks whether the file is whole, without reading its pixels. @throws IvrexError truncated, damaged */
  checkWhole(file: string, limits: ExrLimits): Promise<void>;
  open(file: string, host: NodeHost): Promise<OpenedImage>;
}
