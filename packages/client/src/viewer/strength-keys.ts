import { mostStrength, withKey, type ShutterPlan, type StrengthKey } from '@ivrex/core';
import { arrowOf, isDeleteKey } from '../ui/arrow-keys';

/** How a strip of frames is drawn. */
export interface StripScale {
  readonly firstFrame: number;
  readonly lastFrame: number;
  /** Width of a frame, and where the chart's top and base lie; units of the strip's drawing. */
  readonly frameWidth: number;
  readonly top: number;
  readonly base: number;
}

/** A change of the shutter and the words for it. */
export interface KeyChange {
  readonly label: string;
  readonly shutter: ShutterPlan;
}

export const MOST_STRENGTH = 10;

function limited(strength: number, digits: number): number {
  return Math.min(MOST_STRENGTH, Math.max(0, Number(strength.toFixed(digits))));
}

/** The strength that the top of the strip stands for. */
export function strengthRange(shutter: ShutterPlan): number {
  return Math.max(2, Math.ceil(mostStrength(shutter) * 1.05));
}

/** The frame and strength at a place of the strip, whose top stands for `range`. */
export function keyAt(
  event: { readonly clientX: number; readonly clientY: number },
  box: Pick<DOMRect, 'left' | 'top' | 'width' | 'height'>,
  { firstFrame, lastFrame, top, base }: StripScale,
  range: number,
): Omit<StrengthKey, 'way'> {
  const height = base + 16;
  const frame = firstFrame + Math.floor(((event.clientX - box.left) / box.width) * (lastFrame - firstFrame + 1));
  const y = ((event.clientY - box.top) / box.height) * height;
  return { frame: Math.min(lastFrame, Math.max(firstFrame, frame)), strength: limited(((base - y) / (base - top)) * range, 2) };
}

function others({ keys }: ShutterPlan, key: StrengthKey): StrengthKey[] {
  return keys.filter((k) => k.frame !== key.frame);
}

/** A key brought to another place. It stays between its neighbours: none is lost under it. */
export function movedKey(
  shutter: ShutterPlan,
  key: StrengthKey,
  to: Omit<StrengthKey, 'way'>,
  { firstFrame, lastFrame }: StripScale,
): ShutterPlan {
  const rest = others(shutter, key);
  const from = (rest.filter((k) => k.frame < key.frame).at(-1)?.frame ?? firstFrame - 1) + 1,
    until = (rest.find((k) => k.frame > key.frame)?.frame ?? lastFrame + 1) - 1;
  return { ...shutter, keys: withKey(rest, { ...key, ...to, frame: Math.min(until, Math.max(from, to.frame)) }) };
}

/** The last key leaves its strength behind. */
export function withoutKey(shutter: ShutterPlan, key: StrengthKey): KeyChange {
  return {
    label: `Strength key at ${key.frame} taken away`,
    shutter: {
      ...shutter,
      strength: shutter.keys.length === 1 ? key.strength : shutter.strength,
      keys: others(shutter, key),
    },
  };
}

/** What a key of the keyboard does to a strength key; null when nothing: the place beside may be taken. */
export function nudgedKey(
  shutter: ShutterPlan,
  key: StrengthKey,
  pressed: { readonly key: string; readonly shiftKey: boolean; readonly altKey: boolean },
  { firstFrame, lastFrame }: StripScale,
): KeyChange | null {
  if (isDeleteKey(pressed.key)) return withoutKey(shutter, key);
  const arrow = arrowOf(pressed.key);
  if (arrow === null) return null;
  const rest = others(shutter, key);
  if (arrow.y !== 0) {
    const strength = limited(key.strength + arrow.y * (pressed.shiftKey ? 0.5 : pressed.altKey ? 0.01 : 0.05), 3);
    return { label: `Strength ${strength} at ${key.frame}`, shutter: { ...shutter, keys: withKey(rest, { ...key, strength }) } };
  }
  const frame = Math.min(lastFrame, Math.max(firstFrame, key.frame + arrow.x));
  if (rest.some((k) => k.frame === frame)) return null;
  return { label: `Strength key moved to ${frame}`, shutter: { ...shutter, keys: withKey(rest, { ...key, frame }) } };
}
