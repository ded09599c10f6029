import { IvrexError } from '../errors';

/** Reads little-endian values from bytes and never outside them. Nothing else of the reader touches a DataView. */
export class Cursor {
  private readonly view: DataView;
  offsetBytes: number;

  constructor(
    readonly bytes: Uint8Array,
    offsetBytes = 0,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.offsetBytes = offsetBytes;
  }

  /** Throws `truncated` unless `count` more bytes are there. */
  private take(count: number): number {
    const at = this.offsetBytes;
    if (count < 0 || at + count > this.bytes.length) {
      throw new IvrexError(
        'truncated',
        `the file ends at byte ${this.bytes.length}, but ${count} bytes are needed at byte ${at}; copy or render it again`,
      );
    }
    this.offsetBytes = at + count;
    return at;
  }

  readU8(): number {
    return this.view.getUint8(this.take(1));
  }
  readU16(): number {
    return this.view.getUint16(this.take(2), true);
  }
  readI32(): number {
    return this.view.getInt32(this.take(4), true);
  }
  readU32(): number {
    return this.view.getUint32(this.take(4), true);
  }
  readF32(): number {
    return this.view.getFloat32(this.take(4), true);
  }
  readF64(): number {
    return this.view.getFloat64(this.take(8), true);
  }

  /** A file offset. Values past 2^53 can't be in a file that we hold, so precision does not matter there. */
  readU64(): number {
    const at = this.take(8);
    return this.view.getUint32(at, true) + this.view.getUint32(at + 4, true) * 2 ** 32;
  }

  /** A view on the file's bytes, not a copy. */
  readBytes(count: number): Uint8Array {
    const at = this.take(count);
    return this.bytes.subarray(at, at + count);
  }

  /** Latin text up to a zero byte, which is consumed. Longer than `limit` is `damaged`. */
  readName(limit: number): string {
    const start = this.offsetBytes;
    const end = this.bytes.indexOf(0, start);
    if (end < 0 || end - start > limit) {
      if (end < 0 && this.bytes.length - start <= limit) this.take(this.bytes.length - start + 1);
      throw new IvrexError('damaged', `a name at byte ${start} is longer than ${limit} characters; the header is damaged`);
    }
    this.offsetBytes = end + 1;
    return decodeText(this.bytes.subarray(start, end));
  }
}

/** UTF-8, as current writers use; a byte that is not UTF-8 is taken as Latin-1. */
export function decodeText(bytes: Uint8Array): string {
  let text = '';
  for (let i = 0; i < bytes.length;) {
    const b = bytes[i];
    const extra = b >= 0xf0 && b < 0xf8 ? 3 : b >= 0xe0 ? 2 : b >= 0xc2 ? 1 : 0;
    let point = extra === 0 ? b : b & (0x3f >> extra);
    let good = extra > 0 && i + extra < bytes.length;
    for (let k = 1; k <= extra && good; k++) {
      const next = bytes[i + k] ?? 0;
      good = (next & 0xc0) === 0x80;
      point = (point << 6) | (next & 0x3f);
    }
    good &&= point <= 0x10ffff;
    text += String.fromCodePoint(good ? point : b);
    i += good ? 1 + extra : 1;
  }
  return text;
}

export function encodeText(text: string): Uint8Array {
  const out: number[] = [];
  for (const char of text) {
    const c = char.codePointAt(0) ?? 0;
    if (c < 0x80) out.push(c);
    else if (c < 0x800) out.push(0xc0 | (c >> 6), 0x80 | (c & 0x3f));
    else if (c < 0x10000) out.push(0xe0 | (c >> 12), 0x80 | ((c >> 6) & 0x3f), 0x80 | (c & 0x3f));
    else out.push(0xf0 | (c >> 18), 0x80 | ((c >> 12) & 0x3f), 0x80 | ((c >> 6) & 0x3f), 0x80 | (c & 0x3f));
  }
  return Uint8Array.from(out);
}

/** Grows as it is written; little-endian. */
export class ByteWriter {
  private buffer = new Uint8Array(4096);
  private view = new DataView(this.buffer.buffer);
  length = 0;

  private room(count: number): number {
    const at = this.length;
    if (at + count > this.buffer.length) {
      const bigger = new Uint8Array(Math.max(this.buffer.length * 2, at + count));
      bigger.set(this.buffer);
      this.buffer = bigger;
      this.view = new DataView(bigger.buffer);
    }
    this.length = at + count;
    return at;
  }

  writeU8(value: number): void {
    const at = this.room(1);
    this.view.setUint8(at, value);
  }
  writeI32(value: number): void {
    const at = this.room(4);
    this.view.setInt32(at, value, true);
  }
  writeU32(value: number): void {
    const at = this.room(4);
    this.view.setUint32(at, value, true);
  }
  writeF32(value: number): void {
    const at = this.room(4);
    this.view.setFloat32(at, value, true);
  }
  writeF64(value: number): void {
    const at = this.room(8);
    this.view.setFloat64(at, value, true);
  }
  writeU64(value: number): void {
    const at = this.room(8);
    this.view.setUint32(at, value % 2 ** 32, true);
    this.view.setUint32(at + 4, Math.floor(value / 2 ** 32), true);
  }
  writeBytes(bytes: Uint8Array): void {
    // Room first: it may replace the buffer.
    const at = this.room(bytes.length);
    this.buffer.set(bytes, at);
  }
  writeName(name: string): void {
    this.writeBytes(encodeText(name));
    this.writeU8(0);
  }
  toBytes(): Uint8Array {
    return this.buffer.slice(0, this.length);
  }
}
