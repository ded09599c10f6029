import type { ChunkMemory } from '@ivrex/kernels/interface';
import { IvrexError } from '../../errors';
import { Cursor } from '../cursor';
import { gatherRows, type ChunkChannel } from '../chunk-layout';
import type { ChunkCodec, ExrHost } from './codec';
import { packBlocks } from './dwa-blocks';
import {
  CURRENT_RULES,
  FIRST_RULES,
  planChannels,
  readRules,
  ruleBytes,
  SIZE_FIELDS,
  toLinearTable,
  toPerceptualTable,
  type ChannelPlan,
  type ChannelRule,
  type DwaSizes,
} from './dwa-format';
import { packHuffman } from './huffman';
import { findRuns, predicted, undoRuns } from './rle';
import { inflateExactly } from './zip';

const VERSION = 2;
const PACKED_BY_HUFFMAN = 0,
  PACKED_BY_ZLIB = 1;

/**
 * DWAA (32 lines a chunk) and DWAB (256 lines), DreamWorks Animation's contribution to the reference library: colour as perceptual
 * cosine blocks (lossy), alpha as run lengths, everything else as zlib.
 */
export const dwaCodec: ChunkCodec = {
  unpack(packed, memory, layout, wanted, host) {
    const { sizes, rules, body } = readHead(packed);
    const plan = planChannels(layout, rules);
    checkSizes(sizes, plan, packed.length - body.offsetBytes);
    const plain = body.readBytes(sizes.plainPackedBytes),
      acPacked = body.readBytes(sizes.acPackedBytes),
      dcPacked = body.readBytes(sizes.dcPackedBytes),
      runsPacked = body.readBytes(sizes.runsPackedBytes);
    const isWanted = (entry: ChunkChannel) => wanted === null || wanted.has(entry.channel.name);
    if (plan.plain.some(isWanted)) putPlain(inflateExactly(plain, sizes.plainBytes, host), plan.plain, memory);
    if (plan.runs.some(isWanted)) putRuns(inflateExactly(runsPacked, sizes.runsBytes, host), sizes.runsRawBytes, plan.runs, memory);
    if ([...plan.triples.flat(), ...plan.singles].some(isWanted))
      putBlocks(unpackAc(acPacked, sizes, host), unpackDc(dcPacked, sizes, host), plan, isWanted, memory, host);
    return 'planes';
  },
  pack(raw, layout, host) {
    const plan = planChannels(layout, CURRENT_RULES);
    const plainRaw = joinRows(raw, plan.plain),
      runsRaw = joinBytePlanes(raw, plan.runs);
    const { ac, dc } = packBlocks(
      [...plan.triples, ...plan.singles.map((entry) => [entry])].map((set) => ({
        width: set[0].width,
        rows: set[0].rows,
        planes: set.map((entry) => perceptualHalves(raw, entry, host)),
      })),
    );
    const plain = plainRaw.length === 0 ? plainRaw : host.deflate(plainRaw),
      acPacked = packHuffman(ac),
      dcPacked = dc.length === 0 ? new Uint8Array(0) : host.deflate(predicted(new Uint8Array(dc.buffer), host)),
      runs = findRuns(runsRaw),
      runsPacked = runsRaw.length === 0 ? runsRaw : host.deflate(runs);
    const sizes: DwaSizes = {
      version: VERSION,
      plainBytes: plainRaw.length,
      plainPackedBytes: plain.length,
      acPackedBytes: acPacked.length,
      dcPackedBytes: dcPacked.length,
      runsPackedBytes: runsPacked.length,
      runsBytes: runsRaw.length === 0 ? 0 : runs.length,
      runsRawBytes: runsRaw.length,
      acCount: ac.length,
      dcCount: dc.length,
      acPacking: PACKED_BY_HUFFMAN,
    };
    return joinChunk(sizes, ruleBytes(CURRENT_RULES), [plain, acPacked, dcPacked, runsPacked]);
  },
};

function readHead(packed: Uint8Array): { sizes: DwaSizes; rules: readonly ChannelRule[]; body: Cursor } {
  const cursor = new Cursor(packed);
  const sizes = Object.fromEntries(SIZE_FIELDS.map((field) => [field, cursor.readU64()])) as DwaSizes;
  if (sizes.version > VERSION) throw new IvrexError('unsupported', `DWA blocks of version ${sizes.version} are not known`);
  if (sizes.version < 2) return { sizes, rules: FIRST_RULES, body: cursor };
  const length = cursor.readU16();
  if (length < 2) throw new IvrexError('damaged', 'a DWA block has no rules');
  return { sizes, rules: readRules(cursor.readBytes(length - 2)), body: cursor };
}

/** Everything is known from the layout: what differs is refused before memory is taken. */
function checkSizes(sizes: DwaSizes, plan: ChannelPlan, bodyBytes: number): void {
  const bytesOf = (entries: readonly ChunkChannel[]) => entries.reduce((sum, e) => sum + e.width * e.rows * e.sampleBytes, 0);
  const blocks = [...plan.triples.flat(), ...plan.singles].reduce((sum, e) => sum + blockCount(e), 0);
  const packedBytes = sizes.plainPackedBytes + sizes.acPackedBytes + sizes.dcPackedBytes + sizes.runsPackedBytes;
  const plainBytes = bytesOf(plan.plain),
    runsBytes = bytesOf(plan.runs);
  const right =
    packedBytes <= bodyBytes &&
    sizes.plainBytes === plainBytes &&
    sizes.dcCount === blocks &&
    sizes.acCount <= blocks * 64 &&
    sizes.runsRawBytes === runsBytes &&
    sizes.runsBytes <= 2 * runsBytes + 2;
  if (!right) throw new IvrexError('damaged', 'a DWA block declares sizes that do not fit its channels');
}

function blockCount(entry: ChunkChannel): number {
  return Math.ceil(entry.width / 8) * Math.ceil(entry.rows / 8);
}

function putPlain(bytes: Uint8Array, entries: readonly ChunkChannel[], memory: ChunkMemory): void {
  let at = 0;
  for (const { planeAt, planeBytes } of entries) {
    memory.put(bytes.subarray(at, at + planeBytes), planeAt);
    at += planeBytes;
  }
}

function joinRows(raw: Uint8Array, entries: readonly ChunkChannel[]): Uint8Array {
  const out = new Uint8Array(entries.reduce((sum, e) => sum + e.width * e.rows * e.sampleBytes, 0));
  let at = 0;
  for (const entry of entries) {
    const length = entry.width * entry.rows * entry.sampleBytes;
    gatherRows(raw, entry, out.subarray(at, at + length));
    at += length;
  }
  return out;
}

/** Run lengths hold the first bytes of all samples of a channel, then the second bytes, and so on. */
function putRuns(runs: Uint8Array, rawBytes: number, entries: readonly ChunkChannel[], memory: ChunkMemory): void {
  const planes = new Uint8Array(rawBytes);
  undoRuns(runs, planes);
  let at = 0;
  for (const { width, rows, sampleBytes, planeAt } of entries) {
    const count = width * rows,
      samples = new (sampleBytes === 2 ? Uint16Array : Uint32Array)(count);
    for (let b = 0; b < sampleBytes; b++) {
      const from = at + b * count,
        shift = 8 * b;
      for (let i = 0; i < count; i++) samples[i] |= planes[from + i] << shift;
    }
    at += count * sampleBytes;
    memory.put(new Uint8Array(samples.buffer), planeAt);
  }
}

function joinBytePlanes(raw: Uint8Array, entries: readonly ChunkChannel[]): Uint8Array {
  const samples = joinRows(raw, entries),
    out = new Uint8Array(samples.length);
  let start = 0,
    at = 0;
  for (const { width, rows, sampleBytes } of entries) {
    const count = width * rows;
    for (let b = 0; b < sampleBytes; b++) for (let i = 0; i < count; i++) out[at++] = samples[start + i * sampleBytes + b];
    start += count * sampleBytes;
  }
  return out;
}

function unpackAc(packed: Uint8Array, sizes: DwaSizes, host: ExrHost): Uint16Array {
  if (sizes.acCount === 0) return new Uint16Array(0);
  if (sizes.acPacking === PACKED_BY_ZLIB) return halvesOf(inflateExactly(packed, sizes.acCount * 2, host));
  const chunk = host.kernels.openChunk(sizes.acCount * 2),
    values = new Uint16Array(sizes.acCount);
  try {
    if (sizes.acPacking !== PACKED_BY_HUFFMAN || !chunk.undoHuffman(packed, 0, sizes.acCount))
      throw new IvrexError('damaged', 'the details of a DWA block cannot be unpacked');
    chunk.take(0, new Uint8Array(values.buffer));
  } finally {
    chunk.close();
  }
  return values;
}

function unpackDc(packed: Uint8Array, sizes: DwaSizes, host: ExrHost): Uint16Array {
  const { dcCount } = sizes;
  if (dcCount === 0) return new Uint16Array(0);
  const deltas = inflateExactly(packed, dcCount * 2, host),
    bytes = new Uint8Array(dcCount * 2);
  // A small stream: summed up and put together here.
  let value = 128;
  for (let i = 0; i < deltas.length; i++) {
    value = (value + deltas[i] - 128) & 255;
    bytes[i < dcCount ? 2 * i : 2 * (i - dcCount) + 1] = value;
  }
  return new Uint16Array(bytes.buffer);
}

/** A copy: what a host unpacked may be a part of a larger buffer, and Node's own `slice` is no copy. */
function halvesOf(bytes: Uint8Array): Uint16Array {
  return new Uint16Array(Uint8Array.from(bytes).buffer, 0, bytes.length >> 1);
}

/** Triples first, then single channels; both streams run through all of them. */
function putBlocks(
  ac: Uint16Array,
  dc: Uint16Array,
  plan: ChannelPlan,
  isWanted: (entry: ChunkChannel) => boolean,
  memory: ChunkMemory,
  host: ExrHost,
): void {
  let acAt = 0,
    dcAt = 0;
  for (const set of [...plan.triples, ...plan.singles.map((entry): readonly ChunkChannel[] => [entry])]) {
    const [{ width, rows }] = set;
    const count = width * rows,
      blocks = blockCount(set[0]) * set.length;
    if (count === 0) continue;
    const chunk = host.kernels.openChunk(count * set.length * 2);
    try {
      const used = chunk.undoBlocks(
        { ac: ac.subarray(acAt), dc: dc.subarray(dcAt, dcAt + blocks), components: set.length === 3 ? 3 : 1, width, height: rows },
        0,
      );
      if (used < 0) throw new IvrexError('damaged', 'the details of a DWA block end early');
      acAt += used;
      dcAt += blocks;
      if (!set.some(isWanted)) continue;
      chunk.lookUp(0, count * set.length, toLinearTable());
      set.forEach((entry, c) => putHalves(chunk, c * count * 2, count, entry, memory));
    } finally {
      chunk.close();
    }
  }
}

/** Halves as they are, or widened where the channel holds floats. */
function putHalves(from: ChunkMemory, at: number, count: number, entry: ChunkChannel, memory: ChunkMemory): void {
  const bytes = new Uint8Array(entry.planeBytes);
  if (entry.channel.type === 'half') from.take(at, bytes);
  else from.readHalves({ offsets: Int32Array.of(at), samples: count, split: false }, new Float32Array(bytes.buffer), count);
  memory.put(bytes, entry.planeAt);
}

function perceptualHalves(raw: Uint8Array, entry: ChunkChannel, host: ExrHost): Float32Array {
  const bytes = joinRows(raw, [entry]),
    halves = new Uint16Array(entry.width * entry.rows),
    curve = toPerceptualTable();
  if (entry.channel.type === 'half') halves.set(new Uint16Array(bytes.buffer));
  else host.kernels.floatToHalf(new Float32Array(bytes.buffer), halves);
  for (let i = 0; i < halves.length; i++) halves[i] = curve[halves[i]];
  const out = new Float32Array(halves.length);
  host.kernels.halfToFloat(halves, out);
  return out;
}

function joinChunk(sizes: DwaSizes, rules: Uint8Array, bodies: readonly Uint8Array[]): Uint8Array {
  const head = SIZE_FIELDS.length * 8 + 2 + rules.length;
  const out = new Uint8Array(head + bodies.reduce((sum, b) => sum + b.length, 0)),
    view = new DataView(out.buffer);
  SIZE_FIELDS.forEach((field, i) => view.setBigUint64(i * 8, BigInt(sizes[field]), true));
  view.setUint16(SIZE_FIELDS.length * 8, rules.length + 2, true);
  out.set(rules, SIZE_FIELDS.length * 8 + 2);
  let at = head;
  for (const body of bodies) {
    out.set(body, at);
    at += body.length;
  }
  return out;
}
