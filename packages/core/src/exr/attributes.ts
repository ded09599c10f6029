import { IvrexError } from '../errors';
import type { SampleType as AnySampleType } from '../raster/image';
import type { Window } from '../raster/window';
import { decodeText, encodeText, type ByteWriter, type Cursor } from './cursor';

/** Order is the id that the file stores (OpenEXR file layout, "Compression"). */
export const COMPRESSIONS = ['none', 'rle', 'zips', 'zip', 'piz', 'pxr24', 'b44', 'b44a', 'dwaa', 'dwab'] as const;
export type Compression = (typeof COMPRESSIONS)[number];

/** Scan lines a chunk holds. */
export const ROWS_PER_CHUNK: Record<Compression, number> = {
  none: 1,
  rle: 1,
  zips: 1,
  zip: 16,
  piz: 32,
  pxr24: 16,
  b44: 32,
  b44a: 32,
  dwaa: 32,
  dwab: 256,
};

/** The most that a compression can shrink a chunk: what declares more is damaged, and is refused before memory is taken. */
export const MOST_RATIO: Record<Compression, number> = {
  none: 1,
  rle: 64,
  zips: 1040,
  zip: 1040,
  piz: 600,
  pxr24: 1400,
  b44: 11,
  b44a: 11,
  dwaa: 140000,
  dwab: 140000,
};

/** What an OpenEXR channel can hold. */
export type SampleType = Exclude<AnySampleType, 'u8' | 'u16'>;
export const SAMPLE_TYPES: readonly SampleType[] = ['uint', 'half', 'float'];
export const SAMPLE_BYTES: Record<SampleType, number> = { uint: 4, half: 2, float: 4 };

export interface Channel {
  readonly name: string;
  readonly type: SampleType;
  readonly linear: boolean;
  readonly xSampling: number;
  readonly ySampling: number;
}

/** A value as JSON would hold it, or raw bytes when the type is not known. */
export type AttributeValue = number | string | readonly number[] | readonly string[] | Window | readonly Channel[] | Uint8Array;
export interface Attribute {
  readonly type: string;
  readonly value: AttributeValue;
}

interface Codec {
  /** Bytes the value takes; null where that varies. */
  readonly size: number | null;
  read(cursor: Cursor, size: number): AttributeValue;
  write(writer: ByteWriter, value: AttributeValue): void;
}

function numbers(count: number, kind: 'i32' | 'u32' | 'f32' | 'f64'): Codec {
  return {
    size: count * (kind === 'f64' ? 8 : 4),
    read(cursor) {
      const values = Array.from({ length: count }, () => readNumber(cursor, kind));
      return count === 1 ? values[0] : values;
    },
    write(writer, value) {
      for (const v of count === 1 ? [value as number] : (value as readonly number[])) writeNumber(writer, kind, v);
    },
  };
}

function readNumber(cursor: Cursor, kind: 'i32' | 'u32' | 'f32' | 'f64'): number {
  return kind === 'i32' ? cursor.readI32() : kind === 'u32' ? cursor.readU32() : kind === 'f32' ? cursor.readF32() : cursor.readF64();
}

function writeNumber(writer: ByteWriter, kind: 'i32' | 'u32' | 'f32' | 'f64', value: number): void {
  if (kind === 'i32') writer.writeI32(value);
  else if (kind === 'u32') writer.writeU32(value);
  else if (kind === 'f32') writer.writeF32(value);
  else writer.writeF64(value);
}

const byteNumber: Codec = {
  size: 1,
  read: (cursor) => cursor.readU8(),
  write: (writer, value) => writer.writeU8(value as number),
};

function named(list: readonly string[], what: string): Codec {
  return {
    size: 1,
    read(cursor) {
      const id = cursor.readU8();
      const name = list[id];
      if (name === undefined)
        throw new IvrexError('unsupported', `the header names ${what} number ${id}, which the format does not define`);
      return name;
    },
    write: (writer, value) => writer.writeU8(list.indexOf(value as string)),
  };
}

const text: Codec = {
  size: null,
  read: (cursor, size) => decodeText(cursor.readBytes(size)),
  write: (writer, value) => writer.writeBytes(encodeText(value as string)),
};

const texts: Codec = {
  size: null,
  read(cursor, size) {
    const end = cursor.offsetBytes + size;
    const out: string[] = [];
    while (cursor.offsetBytes < end) {
      const length = cursor.readI32();
      if (length < 0 || cursor.offsetBytes + length > end)
        throw new IvrexError('damaged', 'a list of strings in the header runs past its end');
      out.push(decodeText(cursor.readBytes(length)));
    }
    return out;
  },
  write(writer, value) {
    for (const item of value as readonly string[]) {
      const bytes = encodeText(item);
      writer.writeI32(bytes.length);
      writer.writeBytes(bytes);
    }
  },
};

const floats: Codec = {
  size: null,
  read: (cursor, size) => Array.from({ length: size >> 2 }, () => cursor.readF32()),
  write: (writer, value) => {
    for (const v of value as readonly number[]) writer.writeF32(v);
  },
};

const box: Codec = {
  size: 16,
  read: (cursor) => ({ xMin: cursor.readI32(), yMin: cursor.readI32(), xMax: cursor.readI32(), yMax: cursor.readI32() }),
  write(writer, value) {
    const w = value as Window;
    for (const v of [w.xMin, w.yMin, w.xMax, w.yMax]) writer.writeI32(v);
  },
};

const channels: Codec = {
  size: null,
  read(cursor, size) {
    const end = cursor.offsetBytes + size;
    const out: Channel[] = [];
    while (cursor.offsetBytes < end) {
      const name = cursor.readName(255);
      if (name === '') return out;
      const type = SAMPLE_TYPES[cursor.readI32()];
      if (type === undefined) throw new IvrexError('damaged', `channel "${name}" has a sample type that the format does not define`);
      const linear = cursor.readU8() !== 0;
      cursor.readBytes(3);
      out.push({ name, type, linear, xSampling: cursor.readI32(), ySampling: cursor.readI32() });
    }
    throw new IvrexError('damaged', 'the channel list has no end');
  },
  write(writer, value) {
    for (const channel of value as readonly Channel[]) {
      writer.writeName(channel.name);
      writer.writeI32(SAMPLE_TYPES.indexOf(channel.type));
      writer.writeU32(channel.linear ? 1 : 0);
      writer.writeI32(channel.xSampling);
      writer.writeI32(channel.ySampling);
    }
    writer.writeU8(0);
  },
};

/** Everything the format defines that is plain data; a type that is not here is carried as bytes. */
export const ATTRIBUTE_CODECS: Readonly<Record<string, Codec>> = {
  box2i: box,
  box2f: numbers(4, 'f32'),
  chlist: channels,
  chromaticities: numbers(8, 'f32'),
  compression: named(COMPRESSIONS, 'compression'),
  double: numbers(1, 'f64'),
  envmap: byteNumber,
  float: numbers(1, 'f32'),
  floatvector: floats,
  int: numbers(1, 'i32'),
  keycode: numbers(7, 'i32'),
  lineOrder: named(['increasingY', 'decreasingY', 'randomY'], 'line order'),
  m33f: numbers(9, 'f32'),
  m33d: numbers(9, 'f64'),
  m44f: numbers(16, 'f32'),
  m44d: numbers(16, 'f64'),
  rational: {
    size: 8,
    read: (cursor) => [cursor.readI32(), cursor.readU32()],
    write(writer, value) {
      const [n, d] = value as readonly number[];
      writer.writeI32(n);
      writer.writeU32(d);
    },
  },
  string: text,
  stringvector: texts,
  // Level mode and rounding share the last byte.
  tiledesc: {
    size: 9,
    read: (cursor) => [cursor.readU32(), cursor.readU32(), cursor.readU8()],
    write(writer, value) {
      const [x, y, mode] = value as readonly number[];
      writer.writeU32(x);
      writer.writeU32(y);
      writer.writeU8(mode);
    },
  },
  timecode: numbers(2, 'u32'),
  deepImageState: byteNumber,
  v2i: numbers(2, 'i32'),
  v2f: numbers(2, 'f32'),
  v2d: numbers(2, 'f64'),
  v3i: numbers(3, 'i32'),
  v3f: numbers(3, 'f32'),
  v3d: numbers(3, 'f64'),
};
