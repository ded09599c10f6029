import type { SampleType } from '../raster/image';
import type { ChannelMeasure, PassMeasure } from './measure-pass';

export const PASS_ROLES = ['beauty', 'motion', 'depth', 'ids', 'matte', 'shadow', 'light', 'plate', 'reference', 'other'] as const;
export type PassRole = (typeof PASS_ROLES)[number];

/** What a pass seems to be, and why, in words. The artist confirms. `sure` is 0 to 1. */
export interface RoleGuess {
  readonly role: PassRole;
  readonly reason: string;
  readonly sure: number;
}

export interface PassNames {
  /** The sequence's file name, with the folders below the shot's. */
  readonly file: string;
  readonly layer: string;
  readonly channels: readonly { readonly name: string; readonly type: SampleType }[];
  /** The layer is a Cryptomatte. */
  readonly cryptomatte?: boolean;
  /** A movie. */
  readonly movie?: boolean;
}

/** By names, types and, when a frame was measured, by what its pixels hold. Pixels can overrule a name that promises little. */
export function guessRole(pass: PassNames, measure: PassMeasure | null = null): RoleGuess {
  const byName = guessByName(pass);
  if (measure === null || byName.sure >= 0.9) return withPixels(byName, measure);
  const byPixels = guessByPixels(pass, measure);
  return byPixels !== null && byPixels.sure > byName.sure ? byPixels : withPixels(byName, measure);
}

const WHOLE_PICTURE = 'beauty|rgba|main|colou?r';

/** Light that is added to a surface's picture and moves otherwise than the surface. */
const LIGHT_WORDS = 'reflections?|reflect|refl|refractions?|refract|refr|speculars?|spec|transmission|clearcoat|sheen';

/** The word by which a file or layer says that it is a light pass; null when it doesn't. */
export function lightWord(text: string): string | null {
  return new RegExp(`(?:^|[^a-z])(${LIGHT_WORDS})(?=[^a-z]|$)`).exec(wordsOf(text))?.[1] ?? null;
}

function wordsOf(text: string): string {
  return text.replace(/([a-z])([A-Z])/g, '$1_$2').toLowerCase();
}

/** A word of the name, not a part of one: "ids" in "ids.png" and "gear_ids", not in "side". */
function says(text: string, words: string): boolean {
  return new RegExp(`(^|[^a-z])(${words})([^a-z]|$)`).test(wordsOf(text));
}

function guessByName(pass: PassNames): RoleGuess {
  const names = pass.channels.map((c) => c.name);
  const has = (pattern: RegExp) => names.some((name) => pattern.test(name));
  const colour = (has(/^r(ed)?$/i) && has(/^g(reen)?$/i) && has(/^b(lue)?$/i)) || has(/^y$/i);
  // Inside one file the layer tells passes apart; where each pass has its own file, the file does.
  const text = pass.layer === '' ? pass.file : pass.layer;
  const named = (role: PassRole, words: string, sure = 0.92): RoleGuess | null =>
    says(text, words) ? { role, sure, reason: `${pass.layer === '' ? 'the file is' : 'the layer is'} named for ${NAMED_FOR[role]}` } : null;
  if (pass.cryptomatte) return { role: 'ids', sure: 1, reason: 'a Cryptomatte: named objects with their coverage' };
  if (has(/^(next|prev|forward|backward|motion|velocity)/i))
    return { role: 'motion', sure: 0.95, reason: 'the channels are named for motion' };
  if (pass.layer !== '' || pass.file !== '') {
    const found =
      named('motion', 'motion|motions|vector|vectors|velocity|veloc|mv|mvec|flow|speed') ??
      named('depth', 'depth|zdepth|z') ??
      (isNamedForPositions(pass)
        ? // Less sure than depth itself: where there is both, that is used.
          ({ role: 'depth', sure: 0.9, reason: 'named for positions: depth is worked out from them' } as const)
        : null) ??
      named('ids', 'id|ids|objectid|object|materialid|crypto') ??
      named('shadow', 'shadow|shadows|shd') ??
      named('matte', 'matte|mattes|mask|masks|holdout|coverage');
    if (found !== null) return found;
  }
  if (names.length <= 2 && has(/^z$/i)) return { role: 'depth', sure: 0.95, reason: 'a channel Z' };
  if (pass.channels.length > 0 && pass.channels.every((c) => c.type === 'uint')) return { role: 'ids', sure: 0.8, reason: 'whole numbers' };
  if (names.length === 1 && has(/^a(lpha)?$/i)) return { role: 'matte', sure: 0.9, reason: 'a single coverage channel' };
  // A folder's name says too little, and a whole picture of it is no part of it.
  const light = says(text, WHOLE_PICTURE) ? null : lightWord(text.split('/').pop() ?? '');
  if (colour && light !== null) return { role: 'light', sure: 0.92, reason: `named for a light pass: ${light}` };
  if (!colour) return { role: 'other', sure: 0.3, reason: 'neither a picture nor a known kind of data' };
  if (pass.layer !== '') return { role: 'other', sure: 0.5, reason: 'a colour layer beside the main picture' };
  return (
    named('plate', 'plate|background|bg|scan', 0.9) ??
    (pass.movie ? { role: 'plate', sure: 0.8, reason: 'a movie' } : null) ??
    (says(pass.file, 'ref|reference|blurred|blur\\d*|mb')
      ? { role: 'reference', sure: 0.9, reason: 'the file name says that it is blurred' }
      : { role: 'beauty', sure: says(pass.file, WHOLE_PICTURE) ? 0.9 : 0.6, reason: 'the main colour picture' })
  );
}

/** A pass that says it holds where each pixel's point lies. */
export function isNamedForPositions({ file, layer, channels }: Pick<PassNames, 'file' | 'layer' | 'channels'>): boolean {
  const words = 'pos|position|positions|pworld|pcam|worldpos|wpos';
  return channels.length >= 3 && (layer === '' ? says(file, words) : says(layer, `${words}|p`));
}

const NAMED_FOR: Record<PassRole, string> = {
  beauty: 'the picture',
  motion: 'motion',
  depth: 'depth',
  ids: 'ids',
  matte: 'a matte',
  shadow: 'a shadow',
  light: 'a light pass',
  plate: 'a plate',
  reference: 'a reference',
  other: 'something else',
};

/** Stored values that mean "nothing moves", as renderers and curves leave them. */
const REST_VALUES: readonly { readonly value: number; readonly what: string }[] = [
  { value: 0, what: 'zero' },
  { value: 0.5, what: 'the middle' },
  { value: 0.5 ** (1 / 2.2), what: 'the middle behind a picture curve' },
  { value: 0.7354, what: 'the middle behind a picture curve' },
];

function restName(c: ChannelMeasure): string | null {
  const step = c.type === 'u8' ? 1.5 / 255 : c.type === 'u16' ? 2 / 65535 : 0.0006;
  return REST_VALUES.find(({ value }) => Math.abs(c.rest - value) <= Math.max(step, value > 0.6 ? 0.004 : 0))?.what ?? null;
}

function guessByPixels(pass: PassNames, { channels, alpha }: PassMeasure): RoleGuess | null {
  const colours = channels.filter((c) => !/^a(lpha)?$/i.test(c.name));
  const [first, second] = colours;
  if (first === undefined || first.max === null || first.min === null) return null;
  const percent = (share: number) => `${Math.round(share * 100)} %`;
  if (second !== undefined && second.max !== null) {
    const signed = [first, second].some((c) => (c.min ?? 0) < -1e-3 && c.type !== 'uint');
    const centred = [first, second].every((c) => c.rest > 0.4 && restName(c) !== null && c.restShare > 0.2);
    const third = colours[2];
    const thirdIsFlat = third === undefined || third.restShare > 0.98;
    if (signed && first.restShare > 0.2)
      return {
        role: 'motion',
        sure: 0.85,
        reason: `signed values around ${first.rest}, which ${percent(first.restShare)} of the pixels hold`,
      };
    if (centred)
      return {
        role: 'motion',
        sure: thirdIsFlat ? 0.9 : 0.75,
        reason: `${percent(first.restShare)} of the pixels hold ${restName(first)} (${first.rest.toPrecision(3)}) in ${first.name} and ${second.name}, the others lie on both sides of it`,
      };
    return null;
  }
  if (first.wholeShare === 1 && first.distinct > 2 && first.distinct < 1000 && first.max > 1)
    return { role: 'ids', sure: 0.75, reason: `${first.distinct} different whole numbers` };
  if (first.min >= 0 && first.max <= 1.0001 && first.restShare > 0.3 && (first.rest === 0 || first.rest === 1))
    return { role: 'matte', sure: 0.7, reason: `one channel from 0 to 1, mostly ${first.rest}` };
  if (alpha === null && first.max > 1.5 && first.distinct >= 1000 && pass.channels.length <= 2)
    return { role: 'depth', sure: 0.7, reason: `one channel of distances from ${first.min.toPrecision(3)} to ${first.max.toPrecision(3)}` };
  return null;
}

/** The name's guess, with what the pixels say for or against it. */
function withPixels(guess: RoleGuess, measure: PassMeasure | null): RoleGuess {
  const first = measure?.channels.find((c) => !/^a(lpha)?$/i.test(c.name));
  if (first === undefined || guess.role !== 'motion') return guess;
  const rest = restName(first);
  return rest === null || first.restShare < 0.2
    ? guess
    : {
        ...guess,
        reason: `${guess.reason}, and ${Math.round(first.restShare * 100)} % of the pixels rest at ${first.rest.toPrecision(3)}`,
      };
}
