/**
 * The typed interface of the hot loops. Production code is handed the WebAssembly instance; tests may hand in the
 * plain version of `@ivrex/core/reference`, which obeys the same contract.
 */
export interface Kernels {
  /** Splits bytes into evens and odds and takes differences: what RLE, ZIPS and ZIP compress. `out` has the length of `raw`. */
  predictBytes(raw: Uint8Array, out: Uint8Array): void;
  /** binary16 bit patterns to floats; exact. Lengths must agree. */
  halfToFloat(src: Uint16Array, out: Float32Array): void;
  /** Floats to binary16 bit patterns; nearest, ties to even; overflow to infinity. */
  floatToHalf(src: Float32Array, out: Uint16Array): void;
  /** Room for one uncompressed chunk, in which it is unpacked and from which its rows are read. One at a time is open. */
  openChunk(bytes: number): ChunkMemory;
  /** Takes a copy of the layers' pixels; any number of sessions, closed in the reverse order of their opening. */
  openSlices(layers: readonly SliceLayer[]): SliceSession;
  /** Takes a copy of the picture; the session is its until it is closed. It is the only one that is open then. */
  openAperture(picture: AperturePicture): ApertureSession;
  /**
   * Makes a pyramid of each picture; any number of sessions, closed in the reverse order of their opening. Levels are numbered one after the other: all of the
   * first picture, the largest first, then those of the second. TypeError when pixels do not have their picture's size.
   */
  openMatch(pictures: readonly PyramidRequest[]): MatchSession;
  /** Grades premultiplied RGBA in place. */
  grade(rgba: Float32Array, tables: GradeTables): void;
}

/** Rows of one channel in a chunk. */
export interface ChunkRows {
  /** Byte offset of each row's first sample; even. */
  readonly offsets: Int32Array;
  readonly samples: number;
  /** The chunk holds its even bytes first, then its odd ones (as the predictor leaves them). */
  readonly split: boolean;
}

/**
 * The bytes of one chunk of an OpenEXR part. Offsets are in bytes from its start; steps that would leave it are a TypeError.
 * Bad streams are answered, not thrown: what they mean is the caller's business.
 */
export interface ChunkMemory {
  put(bytes: Uint8Array, at: number): void;
  take(at: number, out: Uint8Array): void;
  /** Sums up differences; the bytes stay split. */
  undoPredictor(length: number): void;
  /** Fills `count` 16-bit values at `at` from PIZ's and DWA's Huffman coding. False when the bytes are no such stream. */
  undoHuffman(packed: Uint8Array, at: number, count: number): boolean;
  /** Undoes PIZ's wavelet in place on 16-bit values. `stepX`, `stepY`: values from a sample to its right and lower neighbour. */
  undoWavelet(at: number, grid: WaveletGrid, maxValue: number): void;
  /** Replaces 16-bit values by their entry in a table of 65536. */
  lookUp(at: number, count: number, table: Uint16Array): void;
  /** Undoes DWA's lossy blocks, see `CosineBlocks`, into planes of halves at `at`. Returns how many `ac` values were used, -1 when they end early. */
  undoBlocks(blocks: CosineBlocks, at: number): number;
  /** Rows of halves as floats, `stride` floats apart. */
  readHalves(rows: ChunkRows, out: Float32Array, stride: number): void;
  /** Rows of 32-bit samples as they are. */
  readWords(rows: ChunkRows, out: Float32Array | Uint32Array, stride: number): void;
  close(): void;
}

export interface WaveletGrid {
  readonly width: number;
  readonly stepX: number;
  readonly height: number;
  readonly stepY: number;
}

/**
 * 8 x 8 cosine blocks as DWA stores them. `ac`: halves in diagonal order, block by block and in each component by component; 0xff00
 * ends a block, 0xffnn skips nn zeroes. `dc`: a half a block, component by component. Three components are luma and the blue and red
 * differences (Rec.709) and come out as red, green, blue; the output is a plane of `width` x `height` halves a component.
 */
export interface CosineBlocks {
  readonly ac: Uint16Array;
  readonly dc: Uint16Array;
  readonly components: 1 | 3;
  readonly width: number;
  readonly height: number;
}

/** A box in display-window pixels: origin and size. */
export interface Box {
  readonly x0: number;
  readonly y0: number;
  readonly width: number;
  readonly height: number;
}

/**
 * The ways of a layer's points on a grid of nodes; between them they are blended. Outside the nodes the layer can't be
 * seen at any time of the shutter.
 */
export interface PathGrid {
  /** The first node's place, in pixel indices (a pixel's centre is a whole number). */
  readonly x0: number;
  readonly y0: number;
  /** At least 2 each. */
  readonly across: number;
  readonly down: number;
  /** Pixels from a node to the next: a power of two, at least NODE_PX. */
  readonly stepPx: number;
  /** All nodes are of one affine flow, which goes on outside of them; what is looked for is found by one step back. */
  readonly isOneFlow: boolean;
  /** Powers of the time that a path has: 1 is even motion, 2 bends it, 4 also changes its pace. */
  readonly orders: 1 | 2 | 4;
  /** A node holds `orders` x NODE_FLOATS: v.x v.y L.xx L.xy L.yx L.yy and two spare for each power of the time from 1 on. */
  readonly nodes: Float32Array;
}
/** The finest step of a grid of nodes, pixels. */
export const NODE_PX = 2;
export const NODE_FLOATS = 8;

/** One moving layer. Arrays of layers run from the nearest to the farthest. */
export interface SliceLayer {
  readonly colourBox: Box;
  /** Premultiplied RGBA, 4 floats a pixel of colourBox. */
  readonly colour: Float32Array;
  readonly path: PathGrid;
}

export interface SliceRequest {
  /** Indices of the layers that can touch this box, nearest first. */
  readonly layers: readonly number[];
  /** Frames, already multiplied by strength; weights of the whole exposure sum to 1. */
  readonly times: Float32Array;
  readonly weights: Float32Array;
  /** Missing: all of it counts everywhere. */
  readonly parts?: SliceParts | null;
  /** "arc": the path parameter is an affine flow (g, L). "line": a displacement and its gradient. */
  readonly path: 'arc' | 'line';
  readonly filter: 'cubic' | 'linear';
  readonly box: Box;
}

/** How much of each part of the exposure counts, place by place. */
export interface SliceParts {
  /** The slice after each part's last; the last of them is the number of slices. */
  readonly ends: Int32Array;
  /** By part and pixel of the box, row by row: 0 to 1. What counts nothing costs nothing. */
  readonly shares: Float32Array;
}

export interface SliceSession {
  /** The box's RGBA, 4 floats a pixel, rows `outStride` floats apart from `outOffset` on: into `out`; with `parts` added to what is there. */
  render(request: SliceRequest, out: Float32Array, outOffset: number, outStride: number): void;
  close(): void;
}

/**
 * Functions of light by the bits of a float: entry i is the value at the float whose bits, shifted right by `shift`, are `firstStep` + i; between entries
 * linear. Below the first it is linear to `atZero`, below zero it goes on with `below` as its slope, beyond the last as steeply as it ends.
 */
export interface GradeTables {
  readonly firstStep: number;
  readonly shift: number;
  /** Red, green and blue: light of straight colour. */
  readonly channels: readonly [LightTable, LightTable, LightTable];
  /** After the channels: colour's distance from its luma is multiplied by this. */
  readonly saturation: number;
  /** What all three are multiplied by, of the luma; null leaves them. */
  readonly luma: LightTable | null;
}

export interface LightTable {
  /** All tables have the same number of entries. */
  readonly values: Float32Array;
  readonly atZero: number;
  readonly below: number;
}

/** A picture that is seen through an aperture. */
export interface AperturePicture {
  readonly width: number;
  readonly height: number;
  /** Premultiplied RGBA, 4 floats a pixel. */
  readonly rgba: Float32Array;
  /** By pixel: the radius of what its light becomes, pixels; and one over the weights' sum of an aperture of that radius. */
  readonly radii: Float32Array;
  readonly shares: Float32Array;
  readonly places: AperturePlaces;
}

/** Places that an aperture lets light to: the middle first, then by the radius from which on they are reached. */
export interface AperturePlaces {
  readonly dx: Int16Array;
  readonly dy: Int16Array;
  readonly from: Float32Array;
}

export interface ApertureSession {
  /**
   * The box's pixels into `out`, 4 floats each, rows `outStride` floats apart from `outOffset` on: the sum of what the first `count` places let
   * through, each pixel's light weighted by its share and by how far it is reached (radius - from + 0.5, held to 0..1, the middle 1), over the
   * sum of the weights.
   */
  gather(box: Box, count: number, out: Float32Array, outOffset: number, outStride: number): void;
  close(): void;
}

/** A picture of four channels, 4 floats a pixel; width and height are at least 2. */
/** Premultiplied RGBA to square roots of light and halves of alpha, softened once (1-2-1 along both axes), then halved level by level. */
export interface PyramidRequest {
  readonly width: number;
  readonly height: number;
  readonly rgba: Float32Array;
  /** The first level holds means of squares of so many pixels; 1 for all of them. */
  readonly reduced: number;
  readonly levels: number;
  /** Light and alpha count as at most this; what is no number, or below nothing, as 0. */
  readonly most: number;
}

/** Side of a level: whole pixels, at least 2. */
export function pyramidSide(of: number, by: number): number {
  return Math.max(2, Math.floor(of / by));
}

export interface MatchPicture {
  readonly width: number;
  readonly height: number;
  readonly data: Float32Array;
}

/** Points of a picture and the vectors of a patch of 3 x 3 around each, row by row. A pixel's centre is a whole number. */
export interface MatchPoints {
  /** x and y of each point. */
  readonly places: Float32Array;
  /** x and y of MATCH_TAPS vectors a point. */
  readonly vectors: Float32Array;
  /** Pixels between the places of a patch. */
  readonly step: number;
  /** x and y of each scale: what the vectors are multiplied by. */
  readonly scales: Float32Array;
}
export const MATCH_TAPS = 9;

export const SCORE_NUMBERS = 6;

/** Numbers of pictures in the session; of the neighbours null where there is none. */
export interface ScoredPictures {
  readonly now: number;
  readonly before: number | null;
  readonly after: number | null;
}

export interface PointsToScore {
  readonly places: Float32Array;
  /** Towards either neighbour, laid out as in MatchPoints. */
  readonly vectors: { readonly before: Float32Array; readonly after: Float32Array };
  readonly scales: Float32Array;
  /** A number a point, above 0. */
  readonly tolerance: Float32Array;
  /** A number a point, 0 to 1: what matches before, after and on the better side without the vectors. */
  readonly base: readonly [Float32Array, Float32Array, Float32Array];
}

export interface MatchSession {
  /** A level where it lies: writing changes it. Holds until another session is opened, or anything else is asked of the kernels. */
  picture(level: number): MatchPicture;
  /**
   * Into `out`, scale by scale, a number a point: how far picture `from` around the point is from picture `to` where each place of the patch moves by its own
   * vector. The mean over the patch of the squared difference, channels added up; -1 where the point itself leaves the picture. Both have the same size.
   */
  match(from: number, to: number, points: MatchPoints, out: Float32Array): void;
  /**
   * Adds SCORE_NUMBERS a scale to `out`, over all points: what is gained over `base` towards picture `before`, towards `after` and by the better of both; then what
   * could be gained by the points that stay inside. A point's match is e^(-residual / tolerance). Scales lead towards `after`, minus them towards `before`.
   */
  score(pictures: ScoredPictures, points: PointsToScore, out: Float32Array): void;
  close(): void;
}

/** Words of a layer record, as assembly/slices.ts reads it. */
export const RECORD_WORDS = 25;
