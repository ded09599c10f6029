import { SAMPLE_BYTES, type Channel } from './attributes';

/** A rectangle of samples that is compressed on its own: scan lines or one tile. Inclusive, in pixels of the data window. */
export interface ChunkArea {
  readonly xFrom: number;
  readonly xTo: number;
  readonly yFrom: number;
  readonly yTo: number;
}

/** One channel inside a chunk. */
export interface ChunkChannel {
  readonly channel: Channel;
  readonly sampleBytes: number;
  /** Samples a row and rows that are stored; fewer than pixels when the channel is subsampled. */
  readonly width: number;
  readonly rows: number;
  /** Byte offset of each stored row in the uncompressed chunk: line by line, and with the channels one after another. */
  readonly rowOffsets: Int32Array;
  readonly planeOffsets: Int32Array;
  /** Where the channel's plane starts, and its bytes. */
  readonly planeAt: number;
  readonly planeBytes: number;
}

/** Where every row of every channel lies in an uncompressed chunk (OpenEXR file layout, "Scan Line Blocks", "Tiles"). */
export interface ChunkLayout {
  readonly area: ChunkArea;
  readonly channels: readonly ChunkChannel[];
  readonly rawBytes: number;
}

/** Number of multiples of `sampling` in [from, to]: only those pixels are stored. */
export function sampleCount(from: number, to: number, sampling: number): number {
  return Math.floor(to / sampling) - Math.ceil(from / sampling) + 1;
}

export function layoutOf(channels: readonly Channel[], area: ChunkArea): ChunkLayout {
  let planeAt = 0;
  const list = channels.map((channel): ChunkChannel => {
    const sampleBytes = SAMPLE_BYTES[channel.type],
      width = sampleCount(area.xFrom, area.xTo, channel.xSampling),
      rows = Math.max(0, sampleCount(area.yFrom, area.yTo, channel.ySampling)),
      start = planeAt;
    planeAt += width * rows * sampleBytes;
    return {
      channel,
      sampleBytes,
      width,
      rows,
      planeAt: start,
      planeBytes: width * rows * sampleBytes,
      rowOffsets: new Int32Array(rows),
      planeOffsets: Int32Array.from({ length: rows }, (_, row) => start + row * width * sampleBytes),
    };
  });
  const filled = list.map(() => 0);
  let at = 0;
  for (let y = area.yFrom; y <= area.yTo; y++) {
    list.forEach((entry, c) => {
      if (y % entry.channel.ySampling !== 0) return;
      entry.rowOffsets[filled[c]++] = at;
      at += entry.width * entry.sampleBytes;
    });
  }
  return { area, channels: list, rawBytes: at };
}

/** Copies the rows of one channel out of a chunk that is in lines: `planar` holds them one after another. */
export function gatherRows(raw: Uint8Array, entry: ChunkChannel, planar: Uint8Array): void {
  const bytes = entry.width * entry.sampleBytes;
  entry.rowOffsets.forEach((at, row) => planar.set(raw.subarray(at, at + bytes), row * bytes));
}
