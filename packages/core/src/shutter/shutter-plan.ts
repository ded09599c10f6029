import type { Shutter } from './shutter';

/** How the strength goes on from a key to the next one. */
export type KeyWay = 'hold' | 'linear' | 'smooth';

export interface StrengthKey {
  readonly frame: number;
  readonly strength: number;
  readonly way: KeyWay;
}

/** Vectors outside these speeds (pixels per frame) are shortened: see `limitSpeeds`. Null: no limit. */
export interface SpeedLimits {
  readonly floorPx: number | null;
  readonly ceilingPx: number | null;
}

/** The shutter of a whole shot or element. With keys the strength is theirs, and `strength` waits until there are none. */
export interface ShutterPlan extends Shutter, SpeedLimits {
  /** In order of their frames, one a frame. */
  readonly keys: readonly StrengthKey[];
}

/** The shutter of one frame. */
export function shutterAt(plan: ShutterPlan, frame: number): Shutter {
  const { opens, closes, shape } = plan;
  return { opens, closes, shape, strength: strengthAt(plan, frame) };
}

/** Before the first key and after the last one their strength holds. */
export function strengthAt({ strength, keys }: Pick<ShutterPlan, 'strength' | 'keys'>, frame: number): number {
  return keyedValue(keys, (key) => key.strength, strength, frame);
}

/** What keys in order of their frames say at a frame; `plain` when there are none. Before the first and after the last their value holds. */
export function keyedValue<K extends { readonly frame: number; readonly way: KeyWay }>(
  keys: readonly K[],
  valueOf: (key: K) => number,
  plain: number,
  frame: number,
): number {
  const after = keys.findIndex((key) => key.frame > frame);
  if (keys.length === 0) return plain;
  if (after === 0) return valueOf(keys[0]);
  if (after < 0) return valueOf(keys[keys.length - 1]);
  const a = keys[after - 1],
    b = keys[after];
  if (a.way === 'hold') return valueOf(a);
  const u = (frame - a.frame) / (b.frame - a.frame);
  return valueOf(a) + (valueOf(b) - valueOf(a)) * (a.way === 'smooth' ? u * u * (3 - 2 * u) : u);
}

/** With a key at its frame in place of the one that was there. */
export function withKey<K extends { readonly frame: number }>(keys: readonly K[], key: K): K[] {
  return [...keys.filter((k) => k.frame !== key.frame), key].sort((a, b) => a.frame - b.frame);
}

/** The largest strength of any frame. */
export function mostStrength({ strength, keys }: Pick<ShutterPlan, 'strength' | 'keys'>): number {
  return keys.length === 0 ? strength : Math.max(...keys.map((key) => key.strength));
}
