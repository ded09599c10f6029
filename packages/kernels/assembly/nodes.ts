// A layer's path between its nodes. See slices.ts for the record.

/** Whether all nodes of a layer are of one affine flow: those that lie farther apart than usual are. One step back is exact there. */
@inline
export function isOneFlow(record: usize): bool {
  return load<f32>(record, 84) > 2;
}

/** The path at a pixel, from the four nodes around it, into `to`. False outside the nodes. */
@inline
export function blendPath(record: usize, x: f32, y: f32, to: usize): bool {
  const perPx = load<f32>(record, 88), u = (x - load<f32>(record, 24)) * perPx, v = (y - load<f32>(record, 28)) * perPx;
  const across = load<i32>(record, 32), down = load<i32>(record, 36);
  if (!(u >= 0 && v >= 0 && u <= <f32>(across - 1) && v <= <f32>(down - 1))) return false;
  const ix = min<i32>(<i32>u, across - 2), iy = min<i32>(<i32>v, down - 2);
  const bytes = load<i32>(record, 40) << 5;
  const stride = <usize>bytes * <usize>across;
  let p = load<usize>(record, 20) + <usize>iy * stride + <usize>(ix * bytes);
  const fu = f32x4.splat(u - <f32>ix), fv = f32x4.splat(v - <f32>iy);
  for (let k = 0; k < bytes; k += 16) {
    const a = v128.load(p), c = v128.load(p + stride);
    const top = f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(p + bytes), a), fu));
    const bottom = f32x4.add(c, f32x4.mul(f32x4.sub(v128.load(p + stride + bytes), c), fu));
    v128.store(to, f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), fv)));
    p += 16;
    to += 16;
  }
  return true;
}

/** A place held to a row of nodes; no number counts as the first. */
@inline
function heldTo(place: f32, first: f32, count: i32, step: f32): f32 {
  return place > first ? min<f32>(place, first + <f32>(count - 1) * step) : first;
}

/** g and L of the path at one place, held to the nodes, at one time: x, y, xx, xy, yx, yy and two spare. */
export function pathAt(record: usize, x: f32, y: f32, t: f32, to: usize): void {
  const across = load<i32>(record, 32), down = load<i32>(record, 36), orders = load<i32>(record, 40);
  const x0 = load<f32>(record, 24), y0 = load<f32>(record, 28), step = load<f32>(record, 84), perPx = load<f32>(record, 88);
  const hx = heldTo(x, x0, across, step), hy = heldTo(y, y0, down, step);
  // Whole pixels and the rest apart: nodes that start elsewhere give the same bits.
  const wholeX = floor(hx), wholeY = floor(hy), fromX = wholeX - x0, fromY = wholeY - y0;
  const ix = min<i32>(<i32>(fromX * perPx), across - 2), iy = min<i32>(<i32>(fromY * perPx), down - 2);
  const bytes = <usize>orders << 5, stride = bytes * <usize>across;
  const first = load<usize>(record, 20) + <usize>iy * stride + <usize>ix * bytes;
  const fu = f32x4.splat((fromX - <f32>ix * step + (hx - wholeX)) * perPx), fv = f32x4.splat((fromY - <f32>iy * step + (hy - wholeY)) * perPx);
  const ft = f32x4.splat(t);
  for (let half: usize = 0; half < 32; half += 16) {
    let sum = f32x4.splat(0);
    for (let p = first + half + bytes - 32; p >= first; p -= 32) {
      const a = v128.load(p), c = v128.load(p + stride);
      const top = f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(p + bytes), a), fu));
      const bottom = f32x4.add(c, f32x4.mul(f32x4.sub(v128.load(p + stride + bytes), c), fu));
      sum = f32x4.mul(f32x4.add(sum, f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), fv))), ft);
    }
    v128.store(to + half, sum);
  }
}
