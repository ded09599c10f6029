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

/** What of a slice's light still gets by. */
@inline
export function clearAt(overs: usize, slice: i32): f32 {
  return max<f32>(1 - load<f32>(overs + (<usize>slice << 4), 12), 0);
}

/** Whether light still gets by in any of four slices. */
@inline
export function isOpen(overs: usize, four: i32): bool {
  const s = four << 2;
  return clearAt(overs, s) >= DARK || clearAt(overs, s + 1) >= DARK || clearAt(overs, s + 2) >= DARK || clearAt(overs, s + 3) >= DARK;
}
