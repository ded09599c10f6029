import type { BlurInput } from '../model/blur-input';
import { indexIn } from '../model/box';
import { SEEN } from '../occlusion/frame-look';
import type { LayerPicture } from '../occlusion/layer-study';
import { pushPull } from '../occlusion/push-pull';
import type { MixedPixel, Transparency } from '../occlusion/transparency';

/**
 * Takes the mixed pixels apart, in place: where the front's own colour was seen, what is left is what lies behind; where what lies behind was seen
 * in a neighbouring frame, what is left is the front's; elsewhere the front's colour is filled in from around first.
 */
export function takeApartThrough({ mixed }: Transparency, { rgba, width }: BlurInput, pictures: ReadonlyMap<number, LayerPicture>): void {
  const byFront = new Map<number, MixedPixel[]>();
  for (const entry of mixed) {
    const entries = byFront.get(entry.front);
    if (entries === undefined) byFront.set(entry.front, [entry]);
    else entries.push(entry);
  }
  for (const [front, entries] of byFront) {
    const near = pictures.get(front);
    if (near === undefined) continue;
    const { box, colour } = near;
    for (const entry of entries) {
      const far = pictures.get(entry.behind),
        x = entry.pixel % width,
        y = Math.floor(entry.pixel / width),
        k = far === undefined ? -1 : indexIn(far.box, x, y);
      if (entry.isKnown || far === undefined || k < 0 || far.state[k] !== SEEN) continue;
      const clear = 1 - entry.own[3];
      for (let c = 0; c < 3; c++) entry.own[c] = Math.max(0, rgba[entry.pixel * 4 + c] - clear * far.colour[k * 4 + c]);
      entry.isKnown = true;
    }
    // The rest is filled in from what is known of the front.
    const known = new Uint8Array(box.width * box.height),
      filled = colour.slice();
    for (let k = 0; k < known.length; k++) known[k] = colour[k * 4 + 3] > 0 ? 1 : 0;
    for (const entry of entries) {
      const k = indexIn(box, entry.pixel % width, Math.floor(entry.pixel / width));
      known[k] = entry.isKnown ? 1 : 0;
      if (entry.isKnown) filled.set(entry.own, k * 4);
    }
    pushPull(filled, known, box.width, box.height);
    for (const entry of entries) {
      const x = entry.pixel % width,
        y = Math.floor(entry.pixel / width),
        k = indexIn(box, x, y),
        far = pictures.get(entry.behind),
        there = far === undefined ? -1 : indexIn(far.box, x, y);
      if (far === undefined || there < 0) continue;
      const a = entry.own[3],
        clear = 1 - a,
        both = rgba[entry.pixel * 4 + 3],
        b = Math.min(1, Math.max(0, (both - a) / clear));
      const wasSeen = far.state[there] === SEEN && !entry.isKnown;
      for (let c = 0; c < 3; c++) {
        const light = rgba[entry.pixel * 4 + c];
        const own = Math.min(light, Math.max(0, filled[k * 4 + c]));
        colour[k * 4 + c] = own;
        if (!wasSeen) far.colour[there * 4 + c] = (light - own) / clear;
      }
      colour[k * 4 + 3] = a;
      far.colour[there * 4 + 3] = b;
      far.state[there] = SEEN;
    }
  }
}
