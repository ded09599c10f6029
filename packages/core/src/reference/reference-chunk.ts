import type { ChunkMemory, ChunkRows, CosineBlocks, WaveletGrid } from '@ivrex/kernels/interface';
import { widen } from '../raster/half';
import { undoBlocks, undoHuffman, undoWavelet } from './reference-codecs';

/** A chunk in a plain array; every step goes through its definition. */
export class ReferenceChunk implements ChunkMemory {
  private readonly bytes: Uint8Array;

  constructor(size: number) {
    this.bytes = new Uint8Array(size);
  }

  put(bytes: Uint8Array, at: number): void {
    this.inside(at, bytes.length);
    this.bytes.set(bytes, at);
  }

  take(at: number, out: Uint8Array): void {
    this.inside(at, out.length);
    out.set(this.bytes.subarray(at, at + out.length));
  }

  undoPredictor(length: number): void {
    this.inside(0, length);
    for (let i = 1; i < length; i++) this.bytes[i] += this.bytes[i - 1] - 128;
  }

  undoHuffman(packed: Uint8Array, at: number, count: number): boolean {
    const values = new Uint16Array(count);
    const good = undoHuffman(packed, values);
    this.put(new Uint8Array(values.buffer), at);
    return good;
  }

  undoWavelet(at: number, grid: WaveletGrid, maxValue: number): void {
    const values = this.values(at, (grid.width - 1) * grid.stepX + (grid.height - 1) * grid.stepY + 1);
    undoWavelet(values, grid, maxValue);
    this.put(new Uint8Array(values.buffer), at);
  }

  lookUp(at: number, count: number, table: Uint16Array): void {
    this.put(new Uint8Array(this.values(at, count).map((v) => table[v]).buffer), at);
  }

  undoBlocks(blocks: CosineBlocks, at: number): number {
    const values = new Uint16Array(blocks.width * blocks.height * blocks.components);
    const used = undoBlocks(blocks, values);
    this.put(new Uint8Array(values.buffer), at);
    return used;
  }

  readHalves(rows: ChunkRows, out: Float32Array, stride: number): void {
    rows.offsets.forEach((offset, row) => {
      for (let x = 0; x < rows.samples; x++)
        out[row * stride + x] = widen(this.byte(offset + 2 * x, rows.split) | (this.byte(offset + 2 * x + 1, rows.split) << 8));
    });
  }

  readWords(rows: ChunkRows, out: Float32Array | Uint32Array, stride: number): void {
    const bits = new Uint32Array(out.buffer, out.byteOffset, out.length);
    rows.offsets.forEach((offset, row) => {
      for (let x = 0; x < rows.samples; x++)
        bits[row * stride + x] = [0, 1, 2, 3].reduce((sum, b) => sum + this.byte(offset + 4 * x + b, rows.split) * 256 ** b, 0);
    });
  }

  close(): void {}

  private byte(at: number, split: boolean): number {
    this.inside(at, 1);
    const middle = Math.ceil(this.bytes.length / 2);
    return this.bytes[split ? (at % 2 === 0 ? at / 2 : middle + (at - 1) / 2) : at];
  }

  private values(at: number, count: number): Uint16Array {
    this.inside(at, count * 2);
    return Uint16Array.from({ length: count }, (_, i) => this.bytes[at + 2 * i] | (this.bytes[at + 2 * i + 1] << 8));
  }

  private inside(at: number, length: number): void {
    if (at < 0 || length < 0 || at + length > this.bytes.length) throw new TypeError('a step leaves its chunk');
  }
}
