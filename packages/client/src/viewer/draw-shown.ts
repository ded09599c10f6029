import type { ShotSettings } from '@ivrex/contract';
import { modeOf, modeOfCompare } from './draw-mode';
import type { DrawState, GlPicture, TextureSlot } from './gl-picture';
import type { SeenView, Shown } from './use-shown';

interface Halves {
  readonly width: number;
  readonly height: number;
  readonly halves: Uint16Array;
}

/** Puts the pictures of a look on the screen. */
export function drawShown(
  gl: GlPicture,
  shown: Shown,
  view: SeenView,
  { placement, edge, transform }: Pick<DrawState, 'placement' | 'edge'> & { readonly transform: ShotSettings['displayTransform'] },
): void {
  const { main, plate, data, whole, sideA, sideB, blurred, width, height, peak } = shown;
  const { look, compare, field, lut, under } = view;
  const put = (slot: TextureSlot, { width: w, height: h, halves }: Halves) =>
    gl.setTexture(slot, { kind: 'rgba16f', width: w, height: h, data: halves });
  const putRaster = (slot: TextureSlot, { header, planes }: NonNullable<Shown['main']>) =>
    put(slot, { ...header, halves: planes[0] as Uint16Array });
  if (look === 'compare') {
    if (sideA !== null) put('a', sideA);
    if (sideB !== null) put('b', sideB);
  } else if (whole !== null) put('a', whole);
  else if (data !== null) gl.setTexture('a', { kind: 'rgba32f', width: data.width, height: data.height, data: data.rgba });
  else if (main?.header.format === 'rgba16f') putRaster('a', main);
  if (plate !== null) putRaster('plate', plate);
  if (blurred !== null && look !== 'compare') put('b', blurred);
  if (field !== null && (look === 'directions' || look === 'speed'))
    gl.setTexture('field', { kind: 'rg32f', width: field.width, height: field.height, data: field.toNext });
  gl.setLut(lut);
  gl.draw({
    mode:
      look === 'compare'
        ? modeOfCompare(compare, view.flicked, sideA !== null, sideB !== null)
        : modeOf(look, blurred !== null, field !== null),
    isData: data !== null,
    placement,
    width,
    height,
    edge,
    gain: compare.gain,
    signed: compare.signed,
    exposure: view.exposure,
    gamma: view.gamma,
    saturation: view.saturation,
    channel: view.channel,
    under: under === 'plate' && plate === null ? 'checker' : under,
    transform: typeof transform === 'string' ? transform : lut === null ? 'linear' : 'lut',
    lutInput: typeof transform === 'string' ? 'linear' : transform.input,
    peakSpeed: peak,
  });
}

/** What the screen shows now, draft or final, for tests and benches: look, state of the picture, milliseconds that it took. */
export function nameOfShown({ whole, isPassing, blurred }: Shown, { look, compare, sides }: SeenView): string {
  const took = (picture: { readonly milliseconds: number } | null) => Math.round(picture?.milliseconds ?? 0);
  if (look === 'compare') return `compare:${compare.way}:${sides.a.status}:${sides.b.status}`;
  if (look === 'assembled') return `assembled:${whole === null || isPassing ? 'old' : whole.quality}:${took(whole)}`;
  return `${look}:${blurred?.isOld === true ? 'old' : (blurred?.quality ?? 'none')}:${took(blurred)}`;
}
