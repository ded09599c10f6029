// The two-dimensional Haar wavelet of OpenEXR's PIZ compression: values of 16 bits, coded in place.

let low: u32 = 0;
let high: u32 = 0;

/** For values below 2^14: the sum fits into 16 bits with its sign. */
@inline
function undo14(l: u32, h: u32): void {
  const hi = <i32>(<i16>h);
  const a = <i32>(<i16>l) + (hi & 1) + (hi >> 1);
  low = <u32>a & 0xffff;
  high = <u32>(a - hi) & 0xffff;
}

/** For any 16-bit values: modulo arithmetic. */
@inline
function undo16(l: u32, h: u32): void {
  const b = (l - (h >> 1)) & 0xffff;
  low = (h + b - 0x8000) & 0xffff;
  high = b;
}

@inline
function undo(l: u32, h: u32, small: bool): void {
  if (small) undo14(l, h);
  else undo16(l, h);
}

/** `stepX`, `stepY`: values from one sample to the next in a row and in a column. In place. */
export function undoWavelet(data: usize, width: i32, stepX: i32, height: i32, stepY: i32, maxValue: i32): void {
  if (maxValue < 1 << 14) undoLevels(data, width, stepX, height, stepY, true);
  else undoLevels(data, width, stepX, height, stepY, false);
}

@inline
function undoLevels(data: usize, width: i32, stepX: i32, height: i32, stepY: i32, small: bool): void {
  const least = min(width, height);
  let p = 1;
  while (p <= least) p <<= 1;
  p >>= 1;
  let p2 = p;
  p >>= 1;
  const sx: usize = <usize>stepX << 1;
  const sy: usize = <usize>stepY << 1;
  while (p >= 1) {
    const ox1 = sx * p;
    const ox2 = sx * p2;
    const oy1 = sy * p;
    const oy2 = sy * p2;
    let py = data;
    for (let y = 0; y <= height - p2; y += p2, py += oy2) {
      let px = py;
      for (let x = 0; x <= width - p2; x += p2, px += ox2) {
        const p01 = px + ox1;
        const p10 = px + oy1;
        const p11 = p10 + ox1;
        undo(load<u16>(px), load<u16>(p10), small);
        const i00 = low;
        const i10 = high;
        undo(load<u16>(p01), load<u16>(p11), small);
        const i01 = low;
        const i11 = high;
        undo(i00, i01, small);
        store<u16>(px, <u16>low);
        store<u16>(p01, <u16>high);
        undo(i10, i11, small);
        store<u16>(p10, <u16>low);
        store<u16>(p11, <u16>high);
      }
      if (width & p) {
        const p10 = px + oy1;
        undo(load<u16>(px), load<u16>(p10), small);
        store<u16>(px, <u16>low);
        store<u16>(p10, <u16>high);
      }
    }
    if (height & p) {
      let px = py;
      for (let x = 0; x <= width - p2; x += p2, px += ox2) {
        const p01 = px + ox1;
        undo(load<u16>(px), load<u16>(p01), small);
        store<u16>(px, <u16>low);
        store<u16>(p01, <u16>high);
      }
    }
    p2 = p;
    p >>= 1;
  }
}
