// An exposure's slices, four at a time: the stretches that it is cut into, and what of a slice's light still gets by.

/** Most stretches that an exposure is cut into: a layer is followed only in those in which it can show. */
export const STRETCHES: i32 = 16;

/** A stretch's first four slices. */
@inline
export function firstFour(stretch: i32, fours: i32, stretches: i32): i32 {
  return (stretch * fours) / stretches;
}

/** Light that gets by, below which nothing more is seen. */
export const DARK: f32 = 0.0005;

/** Whether light still gets by in any of four slices; `clear`: what gets by, f32 by slice. */
@inline
export function isOpen(clear: usize, four: i32): bool {
  return v128.any_true(openOf(clear, four));
}

@inline
export function openOf(clear: usize, four: i32): v128 {
  return f32x4.ge(v128.load(clear + (<usize>four << 4)), f32x4.splat(DARK));
}

/** What a block knows of a layer in four slices (a byte each): its colour is away, where it lies changes evenly over the block, or each pixel has to look for itself. */
export const AWAY: u8 = 0, EVEN: u8 = 1, ROUGH: u8 = 2;
