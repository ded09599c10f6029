// A layer's path between its nodes. See slices.ts for the record.

/** Whether all nodes of a layer are of one affine flow. One step back is exact there. */
@inline
export function isOneFlow(record: usize): bool {
  return load<i32>(record, 96) !== 0;
}

/** The path at a pixel, from the four nodes around it, into `to`; outside the nodes it goes on as at their edge. */
export function blendPath(record: usize, x: f32, y: f32, to: usize): void {
  const perPx = load<f32>(record, 88), across = load<i32>(record, 32), down = load<i32>(record, 36);
  // What is one flow goes on as that flow; else the outermost nodes hold.
  const isBent = !isOneFlow(record);
  const u = nodePlace((x - load<f32>(record, 24)) * perPx, across, isBent), v = nodePlace((y - load<f32>(record, 28)) * perPx, down, isBent);
  const ix = max<i32>(0, min<i32>(<i32>u, across - 2)), iy = max<i32>(0, min<i32>(<i32>v, down - 2));
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
}

@inline
function nodePlace(u: f32, count: i32, isHeld: bool): f32 {
  return isHeld ? max<f32>(0, min<f32>(<f32>(count - 1), u)) : u;
}

/** Four places' first nodes (bytes from the layer's first one), and how far they lie from them towards the next. */
const FIRST: usize = memory.data(16, 16), ACROSS: usize = memory.data(16, 16), DOWN: usize = memory.data(16, 16);

/**
 * g and L of the path at four places, held to the nodes, each at its own time: x, y, xx, xy, yx, yy and two spare, 32 bytes each at `to`.
 * places: x of the four, then y. active: a bit for each that is asked for.
 */
export function pathsAt(record: usize, places: usize, times: usize, active: i32, to: usize): void {
  const across = load<i32>(record, 32), orders = load<i32>(record, 40), bytes = orders << 5, stride = <usize>(bytes * across);
  const perPx = v128.load32_splat(record + 88), step = v128.load32_splat(record + 84);
  const x0 = v128.load32_splat(record + 24), y0 = v128.load32_splat(record + 28), one = f32x4.splat(1);
  const lastX = f32x4.splat(<f32>(across - 1)), lastY = f32x4.splat(<f32>(load<i32>(record, 36) - 1));
  // No number counts as the first.
  const hx = f32x4.pmax(x0, f32x4.min(v128.load(places), f32x4.add(x0, f32x4.mul(lastX, step)))), hy = f32x4.pmax(y0, f32x4.min(v128.load(places, 16), f32x4.add(y0, f32x4.mul(lastY, step))));
  // Whole pixels and the rest apart: nodes that start elsewhere give the same bits.
  const wholeX = f32x4.floor(hx), wholeY = f32x4.floor(hy), fromX = f32x4.sub(wholeX, x0), fromY = f32x4.sub(wholeY, y0);
  const ix = i32x4.trunc_sat_f32x4_s(f32x4.min(f32x4.mul(fromX, perPx), f32x4.sub(lastX, one))), iy = i32x4.trunc_sat_f32x4_s(f32x4.min(f32x4.mul(fromY, perPx), f32x4.sub(lastY, one)));
  v128.store(ACROSS, f32x4.mul(f32x4.add(f32x4.sub(fromX, f32x4.mul(f32x4.convert_i32x4_s(ix), step)), f32x4.sub(hx, wholeX)), perPx));
  v128.store(DOWN, f32x4.mul(f32x4.add(f32x4.sub(fromY, f32x4.mul(f32x4.convert_i32x4_s(iy), step)), f32x4.sub(hy, wholeY)), perPx));
  v128.store(FIRST, i32x4.mul(i32x4.add(i32x4.mul(iy, i32x4.splat(across)), ix), i32x4.splat(bytes)));
  const nodes = load<usize>(record, 20);
  for (let left = active; left !== 0; left &= left - 1) {
    const lane = <usize>ctz(left), at = lane << 2, first = nodes + <usize>load<i32>(FIRST + at);
    const fu = v128.load32_splat(ACROSS + at), fv = v128.load32_splat(DOWN + at), ft = v128.load32_splat(times + at);
    const both = f32x4.mul(fu, fv), w01 = f32x4.sub(fv, both), w10 = f32x4.sub(fu, both), w00 = f32x4.sub(f32x4.sub(one, fu), w01);
    let a = f32x4.splat(0), b = a;
    for (let p = first + <usize>bytes - 32; p >= first; p -= 32) {
      const q = p + <usize>bytes, r = p + stride, s = r + <usize>bytes;
      a = f32x4.mul(f32x4.add(a, f32x4.add(f32x4.add(f32x4.mul(v128.load(p), w00), f32x4.mul(v128.load(q), w10)), f32x4.add(f32x4.mul(v128.load(r), w01), f32x4.mul(v128.load(s), both)))), ft);
      b = f32x4.mul(f32x4.add(b, f32x4.add(f32x4.add(f32x4.mul(v128.load(p, 16), w00), f32x4.mul(v128.load(q, 16), w10)), f32x4.add(f32x4.mul(v128.load(r, 16), w01), f32x4.mul(v128.load(s, 16), both)))), ft);
    }
    v128.store(to + (lane << 5), a);
    v128.store(to + (lane << 5), b, 16);
  }
}
