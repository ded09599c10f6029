import { execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { buildSync } from 'esbuild';
import { parseExrHeader } from '@ivrex/core';

/** Files that are not right, made the same way every time from good ones of the reference library and the image tool. */
const folder = mkdtempSync(path.join(tmpdir(), 'ivrex-malformed-'));
const source = path.join(folder, 'good'),
  bad = path.join(folder, 'bad');
const ORACLE = path.join(__dirname, '../../../.cache/oracle/exr-oracle');
const ROOT = path.join(__dirname, '../../..');

interface Outcome {
  readonly name: string;
  readonly outcome: string;
  readonly seconds: number;
}
let outcomes: Outcome[] = [],
  megabytes = Infinity;

function goodExr(compression: string, layout: string): Buffer {
  const file = path.join(source, `${compression}-${layout}.exr`);
  execFileSync(ORACLE, ['write', file, compression, 'half', layout]);
  return readFileSync(file);
}

function put(name: string, bytes: Buffer): void {
  writeFileSync(path.join(bad, name), bytes);
}

/** The value of a header attribute, as a place in the file. */
function valueAt(bytes: Buffer, name: string, type: string): number {
  const at = bytes.indexOf(Buffer.from(`${name}\0${type}\0`, 'latin1'));
  if (at < 0) throw new Error(`no ${name}`);
  return at + name.length + type.length + 2 + 4;
}

function changed(bytes: Buffer, change: (copy: Buffer) => void): Buffer {
  const copy = Buffer.from(bytes);
  change(copy);
  return copy;
}

function hurtExr(compression: string): void {
  const good = goodExr(compression, 'plain');
  const data = parseExrHeader(good).tablesAtBytes;
  const table = (copy: Buffer) => copy.subarray(data);
  put(`${compression}-01-cut-in-header.exr`, good.subarray(0, 100));
  put(`${compression}-02-cut-in-table.exr`, good.subarray(0, data + 4));
  put(`${compression}-03-cut-in-pixels.exr`, good.subarray(0, Math.floor((data + good.length) / 2)));
  put(`${compression}-04-last-byte-missing.exr`, good.subarray(0, good.length - 1));
  const first = Number(good.readBigUInt64LE(data));
  put(
    `${compression}-05-chunk-size-negative.exr`,
    changed(good, (b) => b.writeInt32LE(-5, first + 4)),
  );
  put(
    `${compression}-06-chunk-size-huge.exr`,
    changed(good, (b) => b.writeInt32LE(2_000_000_000, first + 4)),
  );
  put(
    `${compression}-07-table-beyond-the-file.exr`,
    changed(good, (b) => table(b).writeBigUInt64LE(0xffffffffffffn, 0)),
  );
  put(
    `${compression}-08-pixels-all-ones.exr`,
    changed(good, (b) => b.fill(0xff, first + 8, first + 8 + good.readInt32LE(first + 4))),
  );
  put(
    `${compression}-09-pixels-all-zero.exr`,
    changed(good, (b) => b.fill(0, first + 8, first + 8 + good.readInt32LE(first + 4))),
  );
  put(
    `${compression}-10-very-wide.exr`,
    changed(good, (b) => b.writeInt32LE(200_000_000, valueAt(b, 'dataWindow', 'box2i') + 8)),
  );
  put(
    `${compression}-11-very-high.exr`,
    changed(good, (b) => b.writeInt32LE(3_000_000, valueAt(b, 'dataWindow', 'box2i') + 12)),
  );
  put(
    `${compression}-12-window-inside-out.exr`,
    changed(good, (b) => b.writeInt32LE(-4000, valueAt(b, 'dataWindow', 'box2i') + 8)),
  );
  put(
    `${compression}-13-wide-within-limits.exr`,
    changed(good, (b) => b.writeInt32LE(4_000_000, valueAt(b, 'dataWindow', 'box2i') + 8)),
  );
}

function hurtHeader(): void {
  const good = goodExr('zip', 'tiles'),
    lines = goodExr('zip', 'plain');
  put(
    'header-01-no-mark.exr',
    changed(lines, (b) => b.writeInt32LE(7, 0)),
  );
  put(
    'header-02-version-9.exr',
    changed(lines, (b) => b.writeUInt8(9, 4)),
  );
  put(
    'header-03-unknown-compression.exr',
    changed(lines, (b) => b.writeUInt8(77, valueAt(b, 'compression', 'compression'))),
  );
  put(
    'header-04-channel-type.exr',
    changed(lines, (b) => b.writeInt32LE(9, valueAt(b, 'channels', 'chlist') + 2)),
  );
  put(
    'header-05-sampling-0.exr',
    changed(lines, (b) => b.writeInt32LE(0, valueAt(b, 'channels', 'chlist') + 10)),
  );
  put(
    'header-06-attribute-huge.exr',
    changed(lines, (b) => b.writeInt32LE(1 << 30, valueAt(b, 'channels', 'chlist') - 4)),
  );
  put(
    'header-07-attribute-negative.exr',
    changed(lines, (b) => b.writeInt32LE(-1, valueAt(b, 'channels', 'chlist') - 4)),
  );
  put(
    'header-08-endless-name.exr',
    changed(lines, (b) => b.fill(0x41, 8, 300)),
  );
  put(
    'header-09-deep-flag.exr',
    changed(lines, (b) => b.writeUInt32LE(2 | 0x800, 4)),
  );
  put(
    'header-10-many-parts-flag.exr',
    changed(lines, (b) => b.writeUInt32LE(2 | 0x1000, 4)),
  );
  put(
    'header-11-tiled-flag-without-tiles.exr',
    changed(lines, (b) => b.writeUInt32LE(2 | 0x200, 4)),
  );
  put(
    'header-12-tiles-of-no-size.exr',
    changed(good, (b) => b.writeUInt32LE(0, valueAt(b, 'tiles', 'tiledesc'))),
  );
  put(
    'header-13-tiles-of-one-pixel.exr',
    changed(good, (b) => (b.writeUInt32LE(1, valueAt(b, 'tiles', 'tiledesc')), b.writeUInt32LE(1, valueAt(b, 'tiles', 'tiledesc') + 4))),
  );
  put(
    'header-14-level-mode.exr',
    changed(good, (b) => b.writeUInt8(7, valueAt(b, 'tiles', 'tiledesc') + 8)),
  );
  put(
    'header-15-no-channels.exr',
    changed(lines, (b) => b.writeUInt8(0, valueAt(b, 'channels', 'chlist'))),
  );
  put('header-16-empty.exr', Buffer.alloc(0));
  put('header-17-four-bytes.exr', lines.subarray(0, 4));
  put('header-18-zeroes.exr', Buffer.alloc(5000));
}

/** Streams inside a block that promise more than they hold. */
function hurtStreams(): void {
  const piz = goodExr('piz', 'plain'),
    dwa = goodExr('dwaa', 'plain');
  const chunk = (bytes: Buffer) => Number(bytes.readBigUInt64LE(parseExrHeader(bytes).tablesAtBytes)) + 8;
  const at = chunk(piz),
    most = piz.readUInt16LE(at + 2),
    least = piz.readUInt16LE(at),
    huffman = at + 4 + (most - least + 1) + 4;
  put(
    'piz-20-table-too-long.exr',
    changed(piz, (b) => b.writeUInt16LE(9000, at + 2)),
  );
  put(
    'piz-21-stream-too-long.exr',
    changed(piz, (b) => b.writeInt32LE(1 << 29, huffman - 4)),
  );
  put(
    'piz-22-symbols-out-of-range.exr',
    changed(piz, (b) => b.writeUInt32LE(70000, huffman + 4)),
  );
  put(
    'piz-23-no-prefix-code.exr',
    changed(piz, (b) => b.fill(0x04, huffman + 20, huffman + 60)),
  );
  put(
    'piz-24-no-bits.exr',
    changed(piz, (b) => b.writeUInt32LE(3, huffman + 12)),
  );
  const d = chunk(dwa);
  for (let field = 0; field < 11; field++)
    put(
      `dwa-2${field.toString(16)}-field.exr`,
      changed(dwa, (b) => b.writeBigUInt64LE(0xfffffffffn, d + field * 8)),
    );
  put(
    'dwa-30-rules-cut.exr',
    changed(dwa, (b) => b.writeUInt16LE(3, d + 88)),
  );
  put(
    'dwa-31-rules-huge.exr',
    changed(dwa, (b) => b.writeUInt16LE(65535, d + 88)),
  );
}

function hurtPictures(): void {
  const make = (name: string, ...args: string[]) => {
    const file = path.join(source, name);
    execFileSync('oiiotool', ['--pattern', 'noise', '80x60', '3', ...args, '-o', file]);
    return readFileSync(file);
  };
  for (const [name, bytes] of [
    ['png', make('a.png', '-d', 'uint16')],
    ['jpg', make('a.jpg')],
    ['tif', make('a.tif', '-d', 'uint16', '--compression', 'lzw')],
    ['dpx', make('a.dpx', '-d', 'uint16')],
  ] as const) {
    for (const [i, share] of [0.002, 0.02, 0.3, 0.6, 0.9].entries())
      put(`${name}-cut-${i}.${name}`, bytes.subarray(0, Math.max(3, Math.floor(bytes.length * share))));
    for (let i = 0; i < 4; i++)
      put(
        `${name}-noise-${i}.${name}`,
        changed(bytes, (b) => b.fill(0x5a + i, Math.floor(b.length * (0.1 + 0.2 * i)), Math.floor(b.length * (0.15 + 0.2 * i)))),
      );
  }
  const png = make('b.png', '-d', 'uint8');
  put(
    'png-huge.png',
    changed(png, (b) => (b.writeUInt32BE(60000, 16), b.writeUInt32BE(60000, 20))),
  );
  put(
    'png-wide-as-it-may.png',
    changed(png, (b) => (b.writeUInt32BE(16000, 16), b.writeUInt32BE(16000, 20))),
  );
  put(
    'png-no-size.png',
    changed(png, (b) => b.writeUInt32BE(0, 16)),
  );
  put(
    'png-depth.png',
    changed(png, (b) => b.writeUInt8(5, 24)),
  );
  put('movie-that-is-none.mov', Buffer.from('the ebb takes an hour and a half'));
}

beforeAll(() => {
  mkdirSync(source);
  mkdirSync(bad);
  for (const compression of ['none', 'rle', 'zips', 'zip', 'piz', 'pxr24', 'b44', 'b44a', 'dwaa', 'dwab']) hurtExr(compression);
  hurtHeader();
  hurtStreams();
  hurtPictures();
  const program = path.join(ROOT, '.cache/malformed-run.mjs');
  buildSync({
    absWorkingDir: ROOT,
    entryPoints: ['packages/media/test/malformed-run.ts'],
    outfile: program,
    bundle: true,
    format: 'esm',
    platform: 'node',
    external: ['sharp', 'fast-png', 'geotiff', 'piscina', 'zod'],
  });
  const run = spawnSync(process.execPath, [program, bad, path.join(ROOT, 'packages/kernels/build/kernels.wasm')], {
    encoding: 'utf8',
    timeout: 300000,
  });
  if (run.status !== 0) throw new Error(`the run ended with ${run.status ?? run.signal}: ${run.stderr}`);
  const lines = run.stdout
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as Outcome & { megabytes?: number });
  megabytes = lines.pop()?.megabytes ?? Infinity;
  outcomes = lines;
});

test('there are enough of them', () => expect(outcomes.length).toBeGreaterThanOrEqual(200));

test('nothing crashes, and nothing takes long', () => {
  expect(outcomes.filter((o) => o.outcome.startsWith('CRASH'))).toEqual([]);
  // A guard against hanging, not a measure of speed.
  expect(outcomes.filter((o) => o.seconds > 5)).toEqual([]);
});

test('none of them makes the process take much memory', () => expect(megabytes).toBeLessThan(512));

test('all are errors with a code and a sentence, but for damage that still decodes to some picture', () => {
  const read = outcomes.filter((o) => o.outcome === 'read').map((o) => o.name);
  // Without a checksum a codec cannot know: wrong pixels of the right number.
  expect(read.filter((name) => !/pixels-all-|noise|table-beyond|tif-cut|header-13|dwa-20|dwa-2a|no-prefix/.test(name))).toEqual([]);
  expect(read.length).toBeLessThan(outcomes.length / 3);
  for (const { name, outcome } of outcomes)
    if (outcome !== 'read')
      expect(`${name} ${outcome}`).toMatch(/ (truncated|damaged|unsupported|tooLarge|notAnImage|missingFrame|missingFile): .{12,}/);
});
