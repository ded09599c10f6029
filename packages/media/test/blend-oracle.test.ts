import { blendPixels, BLENDS, type Blend } from '@ivrex/core';
import sharp from 'sharp';

/** libvips' own compositing, in whole numbers: what it rounds is up to a step of each picture. */
const STEPS = 2 / 255;

const W = 64,
  H = 48;

/** Whole numbers, so that both start from the same picture. Straight colour. */
function picture(seed: number, alpha: (i: number) => number): Uint8Array {
  const out = new Uint8Array(W * H * 4);
  for (let i = 0; i < W * H; i++) {
    for (let c = 0; c < 3; c++) out[i * 4 + c] = (Math.imul(i * 3 + c + seed, 2654435761) >>> 24) & 255;
    out[i * 4 + 3] = alpha(i);
  }
  return out;
}

function premultiplied(straight: Uint8Array): Float32Array {
  return Float32Array.from(straight, (v, k) => (k % 4 === 3 ? v / 255 : (v * straight[k - (k % 4) + 3]) / 65025));
}

async function composed(below: Uint8Array, above: Uint8Array, blend: Blend): Promise<Float32Array> {
  const raw = { width: W, height: H, channels: 4 } as const;
  const out = await sharp(below, { raw })
    .composite([{ input: Buffer.from(above), raw, blend }])
    .raw()
    .toBuffer();
  return premultiplied(new Uint8Array(out));
}

test.each(BLENDS)('%s over an opaque picture is what another library makes of it', async (blend) => {
  const below = picture(1, () => 255),
    // Half covered pixels it weighs by alpha twice for the others: only covered ones can be held against it.
    above = picture(2, (i) => (blend === 'over' ? (i * 7) % 256 : 255));
  const ours = premultiplied(below);
  blendPixels(ours, premultiplied(above), blend, 1);
  const theirs = await composed(below, above, blend);
  let worst = 0;
  for (let k = 0; k < ours.length; k++) worst = Math.max(worst, Math.abs(Math.min(1, ours[k]) - theirs[k]));
  expect(worst).toBeLessThan(STEPS);
});

test('over a picture that is half clear itself, coverage and premultiplied colour agree too', async () => {
  const below = picture(3, (i) => (i * 5) % 256),
    above = picture(4, (i) => (i * 11) % 256);
  const ours = premultiplied(below);
  blendPixels(ours, premultiplied(above), 'over', 1);
  const theirs = await composed(below, above, 'over');
  for (let k = 0; k < ours.length; k++) expect(Math.abs(ours[k] - theirs[k])).toBeLessThan(STEPS);
});
