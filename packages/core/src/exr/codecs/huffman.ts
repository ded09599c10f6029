/** Packs 16-bit values as PIZ and DWA do; `undoHuffman` of the kernels is the way back. */

/** Symbols: 65536 values and one that repeats the value before it. */
const SYMBOLS = 65537;
/** Codes are cut to this length by flattening the counts; the format allows 58. */
const LONGEST = 30;

/** A heap of symbols by count; equal counts by symbol, so that the same input always gives the same bytes. */
class CountHeap {
  private readonly items: number[] = [];
  constructor(private readonly counts: Float64Array) {}
  get size(): number {
    return this.items.length;
  }
  private before(a: number, b: number): boolean {
    return this.counts[a] < this.counts[b] || (this.counts[a] === this.counts[b] && a < b);
  }
  push(item: number): void {
    const { items } = this;
    let i = items.push(item) - 1;
    while (i > 0) {
      const parent = (i - 1) >> 1;
      if (!this.before(item, items[parent])) break;
      items[i] = items[parent];
      i = parent;
    }
    items[i] = item;
  }
  pop(): number {
    const { items } = this;
    const top = items[0],
      last = items.pop() ?? top;
    if (items.length === 0) return top;
    let i = 0;
    for (;;) {
      let child = 2 * i + 1;
      if (child >= items.length) break;
      if (child + 1 < items.length && this.before(items[child + 1], items[child])) child++;
      if (!this.before(items[child], last)) break;
      items[i] = items[child];
      i = child;
    }
    items[i] = last;
    return top;
  }
}

/** Code lengths by Huffman's method (1952). Counts are halved and tried again while a code would be too long. */
function codeLengths(counts: Float64Array, first: number, last: number): Uint8Array {
  // Of the 65537 symbols a chunk mostly uses few hundred: those alone are numbered, the tree's nodes after them.
  const used: number[] = [];
  for (let s = first; s <= last; s++) if (counts[s] > 0) used.push(s);
  const leaves = used.length,
    scaled = new Float64Array(leaves * 2),
    parents = new Int32Array(leaves * 2),
    depth = new Uint8Array(leaves * 2);
  used.forEach((symbol, leaf) => (scaled[leaf] = counts[symbol]));
  for (;;) {
    parents.fill(-1);
    const heap = new CountHeap(scaled);
    for (let leaf = 0; leaf < leaves; leaf++) heap.push(leaf);
    let node = leaves;
    while (heap.size > 1) {
      const a = heap.pop(),
        b = heap.pop();
      scaled[node] = scaled[a] + scaled[b];
      parents[a] = parents[b] = node;
      heap.push(node++);
    }
    let longest = 0;
    for (let n = node - 1; n >= 0; n--) {
      // A lone symbol has a code of one bit.
      depth[n] = parents[n] < 0 ? (n < leaves ? 1 : 0) : depth[parents[n]] + 1;
      if (n < leaves) longest = Math.max(longest, depth[n]);
    }
    if (longest <= LONGEST) break;
    for (let leaf = 0; leaf < leaves; leaf++) scaled[leaf] = Math.ceil(scaled[leaf] / 2);
  }
  const lengths = new Uint8Array(SYMBOLS);
  used.forEach((symbol, leaf) => (lengths[symbol] = depth[leaf]));
  return lengths;
}

function canonicalCodes(lengths: Uint8Array, first: number, last: number): Uint32Array {
  const count = new Uint32Array(60),
    next = new Float64Array(60),
    codes = new Uint32Array(SYMBOLS);
  for (let s = first; s <= last; s++) count[lengths[s]]++;
  let code = 0;
  for (let length = 58; length > 0; length--) {
    next[length] = code;
    code = Math.floor((code + count[length]) / 2);
  }
  for (let s = first; s <= last; s++) if (lengths[s] > 0) codes[s] = next[lengths[s]]++;
  return codes;
}

class BitWriter {
  private bytes = new Uint8Array(1 << 16);
  private at = 0;
  private hold = 0;
  private have = 0;
  bits = 0;
  /** `count` up to 30. */
  write(value: number, count: number): void {
    this.bits += count;
    let left = count;
    while (left > 0) {
      const room = 8 - this.have,
        part = Math.min(room, left);
      this.hold = (this.hold << part) | ((value >>> (left - part)) & ((1 << part) - 1));
      this.have += part;
      left -= part;
      if (this.have === 8) this.flush();
    }
  }
  private flush(): void {
    if (this.at === this.bytes.length) {
      const bigger = new Uint8Array(this.bytes.length * 2);
      bigger.set(this.bytes);
      this.bytes = bigger;
    }
    this.bytes[this.at++] = this.hold << (8 - this.have);
    this.hold = this.have = 0;
  }
  finish(): Uint8Array {
    if (this.have > 0) this.flush();
    return this.bytes.subarray(0, this.at);
  }
}

function writeLengths(lengths: Uint8Array, first: number, last: number): Uint8Array {
  const writer = new BitWriter();
  for (let s = first; s <= last;) {
    let run = 0;
    while (s + run <= last && lengths[s + run] === 0 && run < 261) run++;
    if (run >= 6) {
      writer.write(63, 6);
      writer.write(run - 6, 8);
    } else if (run >= 2) writer.write(57 + run, 6);
    else writer.write(lengths[s], 6);
    s += Math.max(1, run);
  }
  return writer.finish();
}

export function packHuffman(values: Uint16Array): Uint8Array {
  if (values.length === 0) return new Uint8Array(0);
  const counts = new Float64Array(SYMBOLS);
  for (const v of values) counts[v]++;
  const first = counts.findIndex((n) => n > 0);
  let last = 65535;
  while (counts[last] === 0) last--;
  // The symbol after the last one used repeats a value.
  const repeat = last + 1;
  counts[repeat] = 1;
  const lengths = codeLengths(counts, first, repeat),
    codes = canonicalCodes(lengths, first, repeat);
  const table = writeLengths(lengths, first, repeat);
  const stream = new BitWriter();
  for (let i = 0; i < values.length;) {
    const v = values[i];
    let again = 0;
    while (again < 255 && i + again + 1 < values.length && values[i + again + 1] === v) again++;
    stream.write(codes[v], lengths[v]);
    if (again > 0 && lengths[repeat] + 8 < lengths[v] * again) {
      stream.write(codes[repeat], lengths[repeat]);
      stream.write(again, 8);
    } else for (let k = 0; k < again; k++) stream.write(codes[v], lengths[v]);
    i += again + 1;
  }
  const body = stream.finish();
  const out = new Uint8Array(20 + table.length + body.length);
  const head = new DataView(out.buffer);
  [first, repeat, table.length, stream.bits, 0].forEach((word, i) => head.setUint32(4 * i, word, true));
  out.set(table, 20);
  out.set(body, 20 + table.length);
  return out;
}
